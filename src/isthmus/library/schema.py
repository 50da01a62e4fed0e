"""The tables of the index. Another layout takes another version: an index of any other is built
again.
"""

VERSION = 8
SCHEMA = """
CREATE TABLE meta (key TEXT PRIMARY KEY, value TEXT);
CREATE TABLE source (id TEXT PRIMARY KEY, away INTEGER NOT NULL, files INTEGER NOT NULL);
CREATE TABLE file (
  id INTEGER PRIMARY KEY, source TEXT NOT NULL, path TEXT NOT NULL, size INTEGER, changed INTEGER, fault TEXT, UNIQUE (source, path));
CREATE TABLE profile (
  id INTEGER PRIMARY KEY, file INTEGER NOT NULL REFERENCES file (id), source TEXT NOT NULL, ident TEXT, maker TEXT, model TEXT,
  long_name TEXT, description TEXT, revision TEXT, body TEXT, borrowed TEXT, refers_to TEXT, words TEXT,
  offered INTEGER NOT NULL);
CREATE INDEX profile_file ON profile (file);
CREATE INDEX profile_ident ON profile (ident);
CREATE TABLE mode (
  id INTEGER PRIMARY KEY, profile INTEGER NOT NULL, name TEXT, footprint INTEGER, blocks INTEGER, cells INTEGER, wheel INTEGER,
  ranges INTEGER, sequence BLOB, sizes BLOB, functions BLOB);
CREATE INDEX mode_profile ON mode (profile);
CREATE TABLE chart (mode INTEGER PRIMARY KEY, lines BLOB);  -- apart, so that reading all modes stays quick
CREATE TABLE attribute (id INTEGER PRIMARY KEY, name TEXT UNIQUE);
CREATE TABLE trust (
  ident TEXT PRIMARY KEY, by_maker INTEGER, uploader TEXT, proven_3d INTEGER, proven_unit INTEGER, rating REAL, ratings INTEGER,
  revision TEXT);
"""

"""Papers people work from: each a table made by a pure function, drawn as PDF or CSV."""

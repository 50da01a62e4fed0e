"""Findings: what is behind the verdicts, ranked with the evidence, the next best look and
the fix.
"""

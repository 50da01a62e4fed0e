"""Processes that make cells of spreadsheets and of tables in PDFs. Nothing else is imported with
them: they are begun for one file, and must be there at once.
"""

"""Files that hold a table: CSV, XLSX and JSON lines, read into rows of cells and written from them.

Nothing here knows what a row is about. A file that is no table is refused with what is wrong and where.
"""

"""Tables in columns, exports, and the sheet of totals."""

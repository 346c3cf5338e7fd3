"""Understanding a table of text before it is read: cells, rows, preamble, columns. Imports no reader."""

"""Pure computation: values in, values out. Imports no web, database or file code."""

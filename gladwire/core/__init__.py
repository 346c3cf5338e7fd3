"""Pure computation: values in, values out. No web, no database, no files, no clock."""

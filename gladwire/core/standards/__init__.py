"""Published tables and limits, a module a topic, each value with its source. Imports nothing of the project."""

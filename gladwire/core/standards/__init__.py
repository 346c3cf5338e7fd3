"""Published tables and limits, one module a topic, each value with its source. Imports nothing of ours but models."""

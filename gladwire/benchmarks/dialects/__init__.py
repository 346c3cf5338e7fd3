"""Seeded factories of dialects: known records, captures and bus logs, written as strangers write them."""

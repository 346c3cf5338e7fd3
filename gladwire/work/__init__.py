"""What happens outside any request: stored captures are measured, sessions judged. Imports no web."""

"""The power record: what flowed, what held it back and for how long, what could be expected. May not import sessions,
causes, the web or the store."""

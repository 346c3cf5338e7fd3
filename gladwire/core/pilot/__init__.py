"""The control pilot: from samples to segments, events, readings and findings."""

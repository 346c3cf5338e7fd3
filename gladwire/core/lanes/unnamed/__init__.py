"""Channels of which nothing tells what they are."""

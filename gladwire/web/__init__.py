"""Pages, fragments and static files. Loads, shapes and renders; computes nothing about charging itself."""

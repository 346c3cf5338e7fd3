"""Routes by area: each loads, shapes one typed page object, and renders it."""

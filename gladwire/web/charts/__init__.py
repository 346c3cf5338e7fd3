"""Drawings made on the server as SVG: geometry here, ink in the templates."""

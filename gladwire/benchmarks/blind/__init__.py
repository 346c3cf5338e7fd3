"""A corpus with its truth, made by generators that share no threshold and no code with what judges it: `./glad bench blind`."""

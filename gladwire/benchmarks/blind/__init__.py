"""A corpus with its truth, made by generators that share no threshold with what judges it: `./glad bench blind`."""

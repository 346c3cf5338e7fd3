"""Stand-ins for instruments at a post: programs on loopback that speak open protocols and look at one simulated world."""

"""A vehicle's and a post's controllers that really talk: encoded messages over simulated frames, with faults to inject."""

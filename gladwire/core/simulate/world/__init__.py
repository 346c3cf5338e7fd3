"""One post, one lead and one vehicle as they stand beside each other, moved by acts and by their own controllers."""

"""What a column of numbers is, told by how it behaves and how it goes with others."""

"""What leads, codes, dividers and limits come to; behind the Bench and the rules. Judges nothing."""

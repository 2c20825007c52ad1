"""Sets of values: random ones, what they change, and how far two of them are apart to the eye."""

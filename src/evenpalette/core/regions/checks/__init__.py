"""What is wrong with regions, and where."""

"""Projects that belong together: which they are, values that they share, and variants that go with each other."""

#: How the names of their files end.
ENDING = ".collection.json"

"""Speed as ratios against general-purpose libraries in one run. Prints, asserts nothing."""

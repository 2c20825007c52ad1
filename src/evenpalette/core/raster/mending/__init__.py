"""Making poor textures better: larger, smoother along what they show, without noise."""

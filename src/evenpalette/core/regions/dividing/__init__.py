"""Where regions come from: faces, flags, channels, colors, chance, another mesh."""

"""Where projects are kept: folders, saving, autosave, budget, the demo."""

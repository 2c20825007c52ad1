"""The document: its model, its storage, its history, the demo."""

"""Many copies of assets in one picture, drawn as a game would: for Form, for sets and for the player."""

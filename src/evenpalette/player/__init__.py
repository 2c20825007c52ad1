"""The player: a delivered kit at work, as in a game. It knows the files of the kit and nothing of the project."""

"""The document: the project as it is saved, the state in memory, its history, files of earlier versions."""

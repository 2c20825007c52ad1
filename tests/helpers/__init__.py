"""What several tests need: hands for the window, meshes, files, a game that runs shaders."""

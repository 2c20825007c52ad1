"""Meshes: the data, the readers, the topology, and where faces lie on the texture."""

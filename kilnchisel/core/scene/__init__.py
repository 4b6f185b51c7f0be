"""Piece and setting to a scene: meshes, materials, lights, camera. Nothing about how it is drawn."""

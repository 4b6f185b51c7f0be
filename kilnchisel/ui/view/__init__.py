"""The picture, its handles, rulers and camera."""

"""The pattern book: music made, typed, opened or found on the shelf."""

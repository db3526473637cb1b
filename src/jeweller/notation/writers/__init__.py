"""Writers of notation files."""

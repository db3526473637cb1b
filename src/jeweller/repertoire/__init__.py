"""The shelf: pieces kept in an open folder, found again by what is in them."""

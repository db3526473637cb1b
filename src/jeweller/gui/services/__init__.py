"""Background jobs and what runs in them."""

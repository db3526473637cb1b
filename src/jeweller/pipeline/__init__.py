"""A check as one plain function, many of them at once, and the workers that run them."""

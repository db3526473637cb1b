"""The places of the window, a package each: a model without widgets, and views that show it."""

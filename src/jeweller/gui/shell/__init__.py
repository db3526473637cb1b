"""The window, its sidebar, menus, keys and style."""

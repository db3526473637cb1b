"""One table of instruments: names, transposition, family, partials. An open data file beside this module."""

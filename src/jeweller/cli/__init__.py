"""The commands. Errors a user can cause become one line on stderr and exit status 2."""

"""From findings to what to do: remedies by kind, instrument and cause."""

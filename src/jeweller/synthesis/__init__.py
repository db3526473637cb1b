"""Sound made: sampled, additive and percussive instruments, and the model to listen to."""

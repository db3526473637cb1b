"""With one player at the microphone: counted in, recorded, told, tried again."""

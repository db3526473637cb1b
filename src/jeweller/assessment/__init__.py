"""`Following` → findings with one cause each: what a teacher would say, and nothing that the player's own
unsteadiness explains.
"""

"""Looking a part over before anyone plays: what may trip a player, what makes it lighter, how hard it reads
and how to go about it.
"""

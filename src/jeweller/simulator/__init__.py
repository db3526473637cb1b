"""The simulated player: a line and planned faults → a performance → sound, with the truth. Also the model
player for listening.

Shares no constants, no knowledge of pitch in sound and no settings with hearing, following and judging.
"""

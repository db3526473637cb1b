"""All evidence about each note that was played, measured once: an alignment and the frame features become a
note table.
"""

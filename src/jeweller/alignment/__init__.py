"""Features and the line → `Following`: what happened, when. The score is known, so hearing and following are
one search.
"""

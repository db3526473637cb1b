"""The report of a check, `jeweller.report/1`: built from the judgement, described by a JSON Schema beside
this file.
"""

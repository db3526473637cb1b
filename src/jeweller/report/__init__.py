"""The report of a check, `jeweller.report/1`: built from the judgement, described by a JSON Schema beside
this file.

In the examples of these modules `checked` is what `jeweller.pipeline.check.check` made of a short take: an E
flat forgotten twice, a wrong note, a rest cut short.
"""

"""Made music: scales, arpeggios, patterns, rhythms and drills, for one instrument or the whole band."""

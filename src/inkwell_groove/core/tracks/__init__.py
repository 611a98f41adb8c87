"""Finding where the tracks of a side start and end.

`levels` follows the loudness of a side robustly against clicks, `floor` says how loud its quiet groove is, `gaps` finds
the stretches of music and their exact ends, `arrange` fits them to what is known: a count, or a catalogue's durations.
`finder` puts them together; `found` is what comes out.
"""

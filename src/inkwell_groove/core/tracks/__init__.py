"""Finding where the tracks of a side start and end.

`hearing` measures a recording once, `declick` keeps its clicks out of that. `noise` tells the groove from the music,
`presence` the gaps and their exact ends, `novelty` where the music changes, `turns` how fast a disc ran. `candidates`
are all places at which a join may be, with their odds; `arrange` fits them to what is known: durations, a count,
nothing, or joins a person set. `sure` says how likely each end is right, and why. `finder` puts them together, `found`
is what comes out; `snap` finds the quietest moment near a place.
"""

"""What the archivist at the deck relies on: levels, when to start and stop, what was lost, and through which chain.

All of it is fed blocks of samples as they come (`block.Block`) and keeps no more than a few minutes of figures, so a
transfer may go on all day. Nothing here knows a device or a clock; only `joining` and `compare`, which are about takes
that are there, read and write files.
"""

"""Decks, audio interfaces and drives: a Protocol each, and the simulated stand-ins that ship with the application.

`source` is what a transfer needs of any of them. `turntable` and `cassette_deck`, both a `deck`, make a signal;
`interface` turns it into blocks of samples; `pushed` takes blocks that a browser sends; `registry` knows which there
are.
"""

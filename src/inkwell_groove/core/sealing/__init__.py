"""Sealing: writing the files of a docket, proving them against the takes, and saying so in a log.

`order` is what is to be sealed, `render` turns takes and plans into samples, `tracks` writes and proves one FLAC,
`papers` writes cue sheet, playlist, log and checksums, `album` does it all in a folder of its own.
"""

"""The compact disc: its table of contents, checksums that others can be asked about, and reading that proves itself.

Audio is (samples, 2) of int16, 588 samples a frame of 1/75 s; places are frame addresses, 0 being 00:02:00 of the
disc's absolute time (IEC 60908). Nothing here speaks to a drive: what reads is handed in.
"""

"""Sound and its files, without anything of carriers: the ground of the core.

Readers and writers of recordings, containers (RIFF, AIFF, FLAC), packed words, dither, rendering to a word length,
resampling, files joined to one sound, decibels.
"""

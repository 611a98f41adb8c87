"""Measuring a recording: levels, loudness, noise, hum and what a stereo pair says of its chain.

Every measure is an accumulator that is fed blocks and asked at the end, so that a recording of any length is measured
in one streaming pass; `report` runs them together.
"""

"""Fingerprints of sound: what two recordings have in common whatever their level, noise, coding and, nearly, speed.

The scheme is that of Haitsma and Kalker, A highly robust audio fingerprinting system, ISMIR 2002. Prints are arrays of
uint32, one for every 11.6 ms of sound.
"""

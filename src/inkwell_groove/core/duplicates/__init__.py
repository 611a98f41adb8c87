"""What a collection holds more than once: the same sound, the same recording, another edit of it, another recording of
the same title; and which copy of several is the one to keep.
"""

"""Finding entries of a collection by words, forgivingly, and by facets; counts of what was found by each facet.

An inverted index over distinct words (Manning, Raghavan and Schütze, Introduction to Information Retrieval, 2008, ch. 1
to 3): a word that is asked for stands for itself, for what begins with it, and for what differs from it in a letter or
two (optimal string alignment distance); an entry is found where each word stands for one that it has.
"""

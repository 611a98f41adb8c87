"""The trade's rules and arithmetic: what a side, a join, a plan, a cue sheet and a proof are.

Nothing here knows the web, the database or the network. Conventions that hold in every module:

- audio is `(samples, channels)`; integers as the file holds them, floats in [-1, 1);
- places in a take are integer samples, places on a disc or in a cue sheet are frames of 1/75 s;
- every number carries its unit in its name;
- what cannot be done is raised as an `InkwellError` that says what, where and what to do.
"""

"""Long work: `arguments` says what jobs are asked with, `queue` keeps them in the database, an `engine` runs them.

`kind` says what a job is, `local` is the engine for one machine and `pool` its processes. The other modules are what
the jobs do, in a process of their own: plain data in, plain data out, files written beside and renamed.
"""

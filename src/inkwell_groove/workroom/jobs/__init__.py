"""Long work: `pool` runs functions in processes, `runner` keeps their rows, `work` holds the functions themselves.

The rest of the workroom knows a job by its kind, plain-data arguments and a progress callback only, so another task
engine can take the place of the pool.
"""

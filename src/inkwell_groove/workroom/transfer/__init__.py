"""Transfer: a source connected to a docket, its levels, and recordings that are never lost.

`session` is one connected source, with a thread of its own; `recorder` writes what it records; `books` keeps the rows
and makes takes; `transfers` holds the use cases; `chains` the chains; `views` what is shown of all that.
"""

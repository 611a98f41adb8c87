"""HTTP over the workroom: thin routes, problem details, events, and the built front end.

`app` puts it together, `guard` refuses foreign requests, `problems` words refusals, `routes/` has a module for each
part of the API.
"""

"""`groove`: the core from a shell. Reports are a contract: fields are added, never renamed."""

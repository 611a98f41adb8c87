"""What is on the disk without a row, in rows without a file, and what hangs; what is safe of it is put right.

`inconsistency` says what an inconsistency is, `on_disk` looks at files and folders, `in_rows` at what rows promise,
`hanging` at what waits for a job that does not come. A server looks before it starts its jobs, while nothing changes.
"""

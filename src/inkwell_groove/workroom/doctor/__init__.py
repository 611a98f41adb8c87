"""What is on the disk without a row, in rows without a file, and what hangs; what is safe of it is put right.

`findings` says what a finding is, `on_disk` looks at files and folders, `in_rows` at what rows promise, `hanging` at
what waits for a job that does not come. Nobody changes anything meanwhile: a server looks before it starts its jobs.
"""

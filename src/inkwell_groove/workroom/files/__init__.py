"""Files that others made: brought in, looked at as a sheet, put right, written, taken back.

`bundles` brings folders in, `sheet` shows rows and keeps what is not written yet, `proposing` works out changes of many
rows, `steps` writes and takes back, `house` looks after pictures, `rules` keeps what was saved.
"""

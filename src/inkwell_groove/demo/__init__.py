"""The demo archive: Wendle Harbour Sound Archive, invented and made from seeds.

`instruments` plays, `tunes` composes, `surface` wears the record, `sides` puts a side together and keeps the truth
about it, `sleeve` draws the cover, `archive` writes it all to a folder, `fill` puts it
on the shelf, `presence` knows whether that was done.
"""

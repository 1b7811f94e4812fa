"""Counting where the data live: events in a lake or a warehouse are reduced there, and only tallies come to the application.

One definition of what a unit comes to, as expressions of Ibis, for every engine that runs them (`engines`). Knows the core, and
of the application only its addresses and the shape of a batch (`batches`).
"""

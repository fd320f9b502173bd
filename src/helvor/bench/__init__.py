"""The heart: the rules and the arithmetic of the bench.

Pure Python. Nothing here opens a file, a socket or a database, renders a page or
asks for the time; everything it needs is passed in, so everything can be tested
on its own and shown with its working.
"""

"""The notebook: PostgreSQL, written in plain SQL, and the only door to it.

``server``      a private PostgreSQL server on loopback, for the demo and the tests
``migrate``     numbered migrations
``database``    the pool of connections
``accounts``    people, sign-in, sessions
``classes``     classes, benches, meetings
``pages``       pages and their entries in ink
"""

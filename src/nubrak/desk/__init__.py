"""What the product does with a session between the store and outside: a session as it stands, files that
arrive, listening, trying, printing, archiving, jobs. No web in it.

Begin with ``desk.Desk`` and ``standing.Standing``; the other files are what they are asked for, one subject
each.
"""

"""The made-up sessions and the starter kit: their scenario and their synthesis."""

"""`./nubrak benchmark endurance`: what falls when processes are killed, when requests and files are not what
they should be, and when many ask at once. Bounded in time; prints kills, inputs, requests and faults.
"""

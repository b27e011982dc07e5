"""One pack in service: its load test, what a charge put back, its alarm levels, how it may travel.

It knows nothing of aircraft on a job; `flight` spends what a pack gives.
"""

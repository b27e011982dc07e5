"""One pack in service: its records, what they add up to, how it is judged, cared for, labelled, charged and sent.

Read in this order: records → snapshot → load_test, charge_back, health → care, forecast, sets, label, life → policy;
alarms, at_the_charger and transport stand by themselves. It knows nothing of aircraft on a job; `flight` spends what a
pack gives.
"""

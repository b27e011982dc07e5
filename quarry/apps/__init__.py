"""Storage, rights and history. Each app may use those before it: accounts, fleet, jobs, day.

Inside an app: models, permissions, mappers (rows to core records and back, nothing else),
queries (reading), services (writing).
"""

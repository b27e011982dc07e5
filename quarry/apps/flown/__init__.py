"""What was truly covered of a job: laid over its plan, its gaps flown as the next job, proof for the client."""

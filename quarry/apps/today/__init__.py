"""Where a person begins: what runs, what flies next, what is due, who waits for an answer, and what an empty company lacks."""

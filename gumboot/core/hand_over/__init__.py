"""Hand over: what stands behind a job when the crew leaves, and what comes after."""

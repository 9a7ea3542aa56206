"""The facts of a job: findings, acts and decisions, and which of them count now."""

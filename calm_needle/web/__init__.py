"""The pages: each view parses, calls one use case of work, and renders. No rule of the job lives here."""

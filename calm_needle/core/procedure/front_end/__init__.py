"""The front end of a band: where it receives, and its signal circuits peaked there."""

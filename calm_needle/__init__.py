"""Calm Needle: a bench companion for the person who aligns radio receivers."""

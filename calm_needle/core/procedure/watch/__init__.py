"""Watching the needle: is this the peak?"""

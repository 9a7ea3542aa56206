"""Our side of the wire: links to instruments, real or stand-in alike.

Imports core and errors. Never imports sim: nothing here can tell a stand-in from the real thing.
"""

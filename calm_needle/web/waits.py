"""What the pages' scripts wait for, in one place. A page carries it in its data, by the clock of its workshop: a test whose clock goes
faster has a page that waits less."""

from calm_needle.clock import Clock

#: Seconds, by what is waited for.
WAITS_S = {
    "draft": 0.4,  # after the last key, until what is half typed is kept
    "search": 0.12,  # after the last key, until the shelf is searched
    "answer": 0.06,  # after the last key, until a calculator is asked
    "look": 0.7,  # from one look to the next, at a trace or at what the ears hear
    "wait_step": 5.0,  # from one look to the next at a step that waits, though nothing is read
    "stream": 5.0,  # until a stream that another tab was given is asked for again
    "lost": 3.0,  # until it is said that the program does not answer
    "doubled": 0.5,  # until a tab with the name of another that lives takes a name of its own
    "counted": 2.2,  # over which a beat is counted
}


def waits_ms(clock: Clock) -> dict[str, float]:
    """Return how long a browser waits by its own clock (ms), by what is waited for."""
    return {name: round(1e3 * clock.browser_s(seconds), 1) for name, seconds in WAITS_S.items()}

"""A verdict: how something stands, in a word, in a sentence a person can act on, and with what is behind it."""

from typing import Literal, NamedTuple

# good, watch, stop: go on, look again, do not go on. blank: nothing said yet. Of a measured part: in, near, out of its tolerance, or
# cannot say.
State = Literal["good", "watch", "stop", "blank", "in", "near", "out", "cannot say"]


class Verdict(NamedTuple):
    """State, sentence, and evidence: figures behind it, or what else is worth saying."""

    state: State
    sentence: str
    evidence: tuple[str, ...] = ()

    @property
    def passed(self) -> bool:
        """Whether nothing stands in the way."""
        return self.state in ("good", "in")

    @property
    def sentences(self) -> tuple[str, ...]:
        """Everything it says, the most important first."""
        return (self.sentence, *self.evidence) if self.sentence else self.evidence

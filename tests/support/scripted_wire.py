"""A wire that knows exactly which lines go out and which come back."""


class ScriptedWire:
    """Give the exchange as pairs of line out and line back (None: no answer is awaited). Anything else fails the test."""

    def __init__(self, *pairs: tuple[str, str | None]) -> None:
        self._pairs = list(pairs)
        self.closed = False

    def write(self, line: str) -> None:
        wanted, back = self._next(line)
        assert (line, None) == (wanted, back), f"sent “{line}” without awaiting an answer; the script has “{wanted}” → {back!r}"

    def query(self, line: str) -> str:
        wanted, back = self._next(line)
        assert line == wanted and back is not None, f"asked “{line}”; the script has “{wanted}” → {back!r}"
        return back

    def close(self) -> None:
        self.closed = True

    def done(self) -> None:
        """Fail when lines of the script were never sent."""
        assert not self._pairs, f"never sent: {self._pairs}"

    def _next(self, line: str) -> tuple[str, str | None]:
        assert self._pairs, f"“{line}” goes beyond the script"
        return self._pairs.pop(0)

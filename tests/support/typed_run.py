"""A run gone through by typed readings, without pages."""

from calm_needle.core.quantities import Quantity
from calm_needle.work.bench.run_book import RunBook


def through(book: RunBook, *, dead: str = "", left_out: str = "") -> RunBook:
    """Go through what is left of a run, by typed readings; dead: the core that is said to have no peak."""
    while book.state.stage not in ("complete", "finished"):
        if book.state.stage == "set_up":
            book.set_everything()
        elif book.state.stage == "decision":
            book.decide(go_on=False)
        else:
            step = book.step
            assert step
            name = book.model.adjuster(step.adjusters[0]).name if step.adjusters else ""
            if name and name == left_out:
                book.skip("waits for a tool")
                continue
            for volts in (0.4, 0.401, 0.402):
                book.add_reading(Quantity(volts, "V"), kind="typed", instrument="typed")
            if name and name == dead:
                book.no_peak(sure=True)
            else:
                book.take(sure=True)
    return book

"""Errors meant for the user: each names the cause and the cure."""


class ArabesqueError(Exception):
    """Something the user can understand and act on.

    cause: what is wrong, one sentence without a full stop.
    cure:  what to do about it, one sentence without a full stop.
    """

    def __init__(self, cause: str, cure: str) -> None:
        super().__init__(cause, cure)
        self.cause = cause
        self.cure = cure

    def __str__(self) -> str:
        return f"{self.cause}. {self.cure}."


class InvalidShape(ArabesqueError):
    """Arrays that do not make a shape: wrong size, not finite, index out of range."""


class DoNotMeet(InvalidShape):
    """What is to cut, or to be cut, ends before the other. apart: mm between them; places: (3,) of each, where they are
    nearest."""

    def __init__(self, apart: float, places: tuple[object, object]) -> None:
        super().__init__(f"They do not meet: {apart:.3g} mm are between them", "Let one of them go on further")
        self.apart, self.places = apart, places


class TooTight(ArabesqueError):
    """A form that bends more tightly than what is asked of it. places: (k, 3) where it does."""

    def __init__(self, cause: str, cure: str, places: object) -> None:
        super().__init__(cause, cure)
        self.places = places


class FileProblem(ArabesqueError):
    """A file that cannot be read or written."""


class FitProblem(ArabesqueError):
    """A fit that cannot start or cannot go on."""


class KernelProblem(ArabesqueError):
    """The B-rep kernel failed, hung or crashed."""


class KernelCrash(KernelProblem):
    """The B-rep kernel's process ended while it worked; it is started afresh at the next call."""

"""What cannot be used or computed, said in the user's words."""

from __future__ import annotations


class Refusal(ValueError):
    """Input that cannot be used. The message is for the user; ``place`` (x, y) says where, if somewhere."""

    def __init__(self, message: str, place: tuple[float, float] | None = None) -> None:
        super().__init__(message)
        self.place = place

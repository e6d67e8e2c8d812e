"""What the page of jobs sends."""

from graupel.web.sent import Sent


class Back(Sent):
    """Where somebody was who acted on a job."""

    back: str = ""

    @property
    def place(self) -> str:
        """Only a page of ours: an address given by somebody else must not lead away."""
        return self.back if self.back.startswith("/") and not self.back.startswith(("//", "/\\")) else "/jobs"

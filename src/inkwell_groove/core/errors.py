"""The answers given when something cannot be done.

InkwellError
├── Refused (ValueError)          the input is not acceptable as it is
│   ├── NotSound                  not audio, or a format that is not read here
│   ├── Truncated (EOFError)      the data ends before what it promises
│   │   └── LengthLie             a header that promises more than there is, or less
│   ├── LossyForMaster            a lossy recording where only a lossless one will do
│   └── PreconditionMissing       a change that does not say what it was made on
├── Missing (LookupError)         no such docket, side, take ...
├── Conflict                      the state of things does not allow it now
│   ├── Outdated                  made on a version that is no longer the current one
│   └── DriveRefuses              an optical drive will not read there (core.disc.drive)
├── NotSignedIn                   nobody, or nobody any more
├── NotAllowed                    somebody whose role is not enough
├── TooOften                      tried again too soon
├── DiskFull                      there is no room for what is to be written
├── ProofFailed                   what was written is not what had to be written
└── Cancelled                     somebody asked the work to stop
"""

from __future__ import annotations


class InkwellError(Exception):
    """What is wrong, where, and what to do about it: each a sentence for the archivist."""

    def __init__(self, what: str, *, where: str | None = None, remedy: str | None = None) -> None:
        self.what = what
        self.where = where
        self.remedy = remedy
        super().__init__(what)

    def __str__(self) -> str:
        parts = [f"{self.where}: {self.what}" if self.where else self.what]
        if self.remedy:
            parts.append(self.remedy)
        return " ".join(part if part.endswith((".", "!", "?")) else part + "." for part in parts)

    def __reduce__(self) -> tuple[object, ...]:
        # Keyword-only arguments would be lost on the way back from a job's process.
        return (_rebuild, (type(self), self.what, self.where, self.remedy, self.__dict__))


def _rebuild(
    kind: type[InkwellError], what: str, where: str | None, remedy: str | None, state: dict[str, object]
) -> InkwellError:
    error = kind.__new__(kind)
    InkwellError.__init__(error, what, where=where, remedy=remedy)
    error.__dict__.update(state)
    return error


class Refused(InkwellError, ValueError):
    """The input is not acceptable as it is."""


class NotSound(Refused):
    """Not audio, or a format that is not read here."""


class Truncated(Refused, EOFError):
    """The data ends before what it promises."""


class LengthLie(Truncated):
    """A header that promises another length than the file has; `found_samples` can be had."""

    def __init__(
        self,
        what: str,
        *,
        found_samples: int,
        declared_samples: int,
        where: str | None = None,
        remedy: str | None = None,
    ) -> None:
        super().__init__(what, where=where, remedy=remedy)
        self.found_samples = found_samples
        self.declared_samples = declared_samples


class LossyForMaster(Refused):
    """A lossy recording where only a lossless one will do."""


class PreconditionMissing(Refused):
    """A change that does not say which version it was made on."""


class Missing(InkwellError, LookupError):
    """No such docket, side, take, version ..."""


class Conflict(InkwellError):
    """The state of things does not allow it now."""


class Outdated(Conflict):
    """The change was made on a version that is no longer the current one."""


class NotSignedIn(InkwellError):
    """It is not known who asks."""


class NotAllowed(InkwellError):
    """Who asks has a role that is not enough."""


class TooOften(InkwellError):
    """Tried too often; `wait_s` is how long until one may try again."""

    def __init__(self, what: str, *, wait_s: float, where: str | None = None, remedy: str | None = None) -> None:
        super().__init__(what, where=where, remedy=remedy)
        self.wait_s = wait_s


class DiskFull(InkwellError):
    """There is no room left for what is to be written."""


class ProofFailed(InkwellError):
    """What was written is not what had to be written."""


class Cancelled(InkwellError):
    """Somebody asked the work to stop."""

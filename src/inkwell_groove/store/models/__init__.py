"""The tables.

A docket has carriers, a carrier sides, a side takes, of which one is chosen. Jobs, packages, recordings that are going
on and the ledger hang from the docket. A chain is said once, and copied into every take that came through it.
"""

from inkwell_groove.store.models.accounts import AccessEntry, Account, FailedAttempts, ScriptToken, SignIn
from inkwell_groove.store.models.authorities import Heading, HeadingMerge, HeadingVariant
from inkwell_groove.store.models.base import EXACT, NOW, Base, UtcDateTime, now
from inkwell_groove.store.models.dockets import (
    Artwork,
    Audit,
    Carrier,
    DescribedValue,
    DiscRead,
    Docket,
    Package,
    PlanVersion,
    Side,
    StoredObject,
    Take,
    Upload,
)
from inkwell_groove.store.models.duplicates import HeldFile, SoundRelation
from inkwell_groove.store.models.files import Bundle, BundleFile, FileStep, HouseDocument
from inkwell_groove.store.models.sources import LookUp, OwnRelease, SourceAnswer, SourceChoice, SourceRule
from inkwell_groove.store.models.survey import NAME_LENGTH, Dismissal, NameUse, SurveyFinding, SurveyRun
from inkwell_groove.store.models.transfer import Connection, OpticalDrive, Recording, StoredChain, StoredStartingPoint
from inkwell_groove.store.models.work import AnsweredRequest, Job, Lease, LedgerEntry, NamedLock, News, Worker

__all__ = [
    "EXACT",
    "NAME_LENGTH",
    "NOW",
    "AccessEntry",
    "Account",
    "AnsweredRequest",
    "Artwork",
    "Audit",
    "Base",
    "Bundle",
    "BundleFile",
    "Carrier",
    "Connection",
    "DescribedValue",
    "DiscRead",
    "Dismissal",
    "Docket",
    "FailedAttempts",
    "FileStep",
    "Heading",
    "HeadingMerge",
    "HeadingVariant",
    "HeldFile",
    "HouseDocument",
    "Job",
    "Lease",
    "LedgerEntry",
    "LookUp",
    "NameUse",
    "NamedLock",
    "News",
    "OpticalDrive",
    "OwnRelease",
    "Package",
    "PlanVersion",
    "Recording",
    "ScriptToken",
    "Side",
    "SignIn",
    "SoundRelation",
    "SourceAnswer",
    "SourceChoice",
    "SourceRule",
    "StoredChain",
    "StoredObject",
    "StoredStartingPoint",
    "SurveyFinding",
    "SurveyRun",
    "Take",
    "Upload",
    "UtcDateTime",
    "Worker",
    "now",
]

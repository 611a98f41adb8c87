"""What was saved to be used again: wording rules in order, filing patterns, the house's rule for pictures."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.core.description import clean_text
from inkwell_groove.core.errors import Missing, Refused
from inkwell_groove.core.files.art import ArtRule
from inkwell_groove.core.files.fields import BY_NAME
from inkwell_groove.core.files.house import breaks
from inkwell_groove.core.files.naming import Naming
from inkwell_groove.core.files.reading import PictureFacts
from inkwell_groove.core.survey.finding import House, TagRule
from inkwell_groove.core.wording.rules import WordingRule
from inkwell_groove.store.models import BundleFile, HouseDocument
from inkwell_groove.workroom.files.views import ArtCheckView, SavedNaming, SavedRule, SavedSearch
from inkwell_groove.workroom.house_documents import Document, documents_of, remove_document, save_document, version_of
from inkwell_groove.workroom.part import Part

WORDING, NAMING, ART, SEARCH = "wording", "naming", "art", "search"
HOUSE, TAGS, FILING = "house", "tags", "filing"
BY_ARCHIVISTS = (WORDING, NAMING, SEARCH)  # what is for keepers has an operation of its own
_THE_RULE = "pictures"
# Releases by which a pattern is shown while it is written: one of each kind that patterns differ for.
EXAMPLES: tuple[tuple[str, dict[str, str]], ...] = (
    ("a record", {
        "album_artist": "Marrowby Silver Band", "artist": "Marrowby Silver Band", "album": "Lanterns on the Weir",
        "title": "Over the Sluice: a March", "track_number": "3", "track_total": "10", "date": "1974-03",
        "catalogue_number": "QHL 1107", "label": "Quayhead", "media": "LP",
    }),
    ("a compilation of two discs", {
        "album_artist": "Various", "artist": "The Tollgate Sisters", "album": "Harbour Lights: Songs from the Ferry",
        "title": "Slack Water", "track_number": "7", "track_total": "9", "disc_number": "2", "disc_total": "2",
        "date": "2003", "compilation": "yes", "catalogue_number": "GC 5-6", "label": "Gull & Crane", "media": "CD",
    }),
    ("a classical work", {
        "album_artist": "Jon Maskell-Obi", "artist": "Jon Maskell-Obi", "album": "Four Tidal Preludes",
        "composer": "Ilse Vanterroe", "composer_sort": "Vanterroe, Ilse", "work": "Four Tidal Preludes",
        "movement": "Ebb", "title": "Four Tidal Preludes: II. Ebb", "track_number": "2", "date": "1995",
        "catalogue_number": "FLC 003", "label": "Fathomline", "media": "CD",
    }),
)  # fmt: skip


class Rules(Part):
    """Saved rules and patterns. `declared` is called once the house wants something else, with who wants it."""

    declared: Callable[[str], None] = staticmethod(lambda who: None)

    def wording(self) -> list[SavedRule]:
        with self._database.begin() as session:
            return [_rule_view(row) for row in documents_of(session, WORDING)]

    def save_wording(self, rule: WordingRule, *, who: str, on: str | None = None) -> SavedRule:
        """Save a rule under its name; the one of that name with the version `on` is replaced.

        Raises Refused, or ChangedMeanwhile if another one stands there.
        """
        if unknown := set(rule.fields) - set(BY_NAME) - {"name"}:
            raise Refused(f"there is no field '{min(unknown)}'", where="the rule", remedy="Choose fields of the sheet")
        return _rule_view(self._save(WORDING, rule.name, rule, who=who, on=on))

    def order_wording(self, ids: Sequence[int]) -> list[SavedRule]:
        """Puts the rules in this order."""
        with self._database.begin() as session:
            rows = {row.id: row for row in documents_of(session, WORDING)}
            for place, key in enumerate(one for one in ids if one in rows):
                rows[key].position = place
        return self.wording()

    def naming(self) -> list[SavedNaming]:
        with self._database.begin() as session:
            return [_naming_view(row) for row in documents_of(session, NAMING)]

    def save_naming(self, naming: Naming, *, who: str, on: str | None = None) -> SavedNaming:
        """Save a pattern as `save_wording` saves a rule. Raises Refused too for a pattern that cannot be filled."""
        self.examples(naming)
        return _naming_view(self._save(NAMING, naming.name, naming, who=who, on=on))

    @staticmethod
    def examples(naming: Naming) -> list[tuple[str, str]]:
        """Return the paths that a pattern gives three releases. Raises Refused if it cannot be filled."""
        return [(what, naming.path_for(values, ".flac")) for what, values in EXAMPLES]

    def searches(self) -> list[SavedSearch]:
        with self._database.begin() as session:
            return [_search_view(row) for row in documents_of(session, SEARCH)]

    def save_search(self, name: str, wanted: dict[str, Any], *, who: str, on: str | None = None) -> SavedSearch:
        """Save a search as `save_wording` saves a rule."""
        return _search_view(self._save(SEARCH, name, wanted, who=who, on=on))

    def art(self) -> ArtRule:
        """Return the house's rule for pictures: the declared one, or the one that the application comes with."""
        with self._database.begin() as session:
            return art_rule(session)

    def declare_art(self, rule: ArtRule, *, who: str, seen: ArtRule | None = None) -> ArtRule:
        """Declare the rule for pictures; `seen` is the one that was changed. Raises ChangedMeanwhile."""
        row = self._save(ART, _THE_RULE, rule, who=who, seen=seen, standing=ArtRule())
        self.declared(who)
        return ArtRule.model_validate(row.document)

    def declare_tags(self, rule: TagRule, *, who: str, seen: TagRule | None = None) -> TagRule:
        """Declare the rule for tags; `seen` is the one that was changed.

        Raises Refused for a field or wording rule that there is none of, ChangedMeanwhile where somebody else changed
        the same of it.
        """
        if unknown := set(rule.wanted) - set(BY_NAME):
            raise Refused(f"there is no field '{min(unknown)}'", where="wanted", remedy="Choose fields of the sheet")
        if unknown := set(rule.wording) - {one.rule.name for one in self.wording()}:
            raise Refused(f"there is no wording rule '{min(unknown)}'", where="wording", remedy="Save it on the sheet")
        row = self._save(HOUSE, TAGS, rule, who=who, seen=seen, standing=TagRule())
        self.declared(who)
        return TagRule.model_validate(row.document)

    def declare_filing(self, pattern: str, *, who: str) -> None:
        """Declare the pattern for names: a saved one by its name, empty for none. Raises Refused."""
        if pattern and pattern not in {one.naming.name for one in self.naming()}:
            raise Refused(
                f"there is no pattern '{pattern}'", where="filing", remedy="Save it on the sheet, under Names"
            )
        self._save(HOUSE, FILING, {"pattern": pattern}, who=who)
        self.declared(who)

    def check_art(self, bundle_ids: Sequence[int] | None) -> ArtCheckView:
        """Return the files that break the rule for pictures, in some bundles or in all."""
        rule = self.art()
        with self._database.begin() as session:
            query = select(BundleFile).where(BundleFile.kind.in_(("audio", "picture")))
            if bundle_ids is not None:
                query = query.where(BundleFile.bundle_id.in_(bundle_ids))
            rows = session.scalars(query).all()
            beside = {(one.bundle_id, one.path) for one in rows if one.kind == "picture"}
            files: dict[int, list[str]] = {}
            counts: dict[str, int] = {}
            for one in rows:
                if one.kind != "audio":
                    continue
                folder = one.path.rpartition("/")[0]
                name = f"{folder}/{rule.beside_name}" if folder else rule.beside_name
                pictures = [PictureFacts.model_validate(picture) for picture in one.facts.get("pictures", [])]
                if found := breaks(rule, pictures, beside=(one.bundle_id, name) in beside):
                    files[one.id] = found
                    for words in found:
                        kind = _without_figures(words)
                        counts[kind] = counts.get(kind, 0) + 1
        return ArtCheckView(rule=rule, counts=counts, files=files)

    def forget(self, document_id: int, *, who: str) -> None:
        """Removes a saved rule; the ledger keeps what it said. Raises Missing."""
        with self._database.begin() as session:
            row = session.get(HouseDocument, document_id)
            if row is None or row.kind not in BY_ARCHIVISTS:
                raise Missing(f"there is no rule {document_id}", remedy="Look at the list again")
            remove_document(session, row, what=f"{row.kind} rule {row.name}", who=who)

    def _save(
        self,
        kind: str,
        name: str,
        document: BaseModel | Document,
        *,
        who: str,
        seen: BaseModel | None = None,
        standing: BaseModel | None = None,
        on: str | None = None,
    ) -> HouseDocument:
        name = clean_text(name)
        if not name:
            raise Refused("it needs a name", where="name", remedy="Say what it is for")
        kept, seen_document, standing_document = (
            one.model_dump(mode="json") if isinstance(one, BaseModel) else one for one in (document, seen, standing)
        )
        assert kept is not None
        with self._database.begin() as session:
            return save_document(
                session,
                kind,
                name,
                kept,
                what=f"{kind} rule {name}",
                who=who,
                seen=seen_document,
                standing=standing_document,
                on=on,
            )


def _rule_view(row: HouseDocument) -> SavedRule:
    rule = WordingRule.model_validate(row.document)
    return SavedRule(id=row.id, version=version_of(row.document), position=row.position, rule=rule)


def _naming_view(row: HouseDocument) -> SavedNaming:
    naming = Naming.model_validate(row.document)
    return SavedNaming(id=row.id, version=version_of(row.document), position=row.position, naming=naming)


def _search_view(row: HouseDocument) -> SavedSearch:
    return SavedSearch(id=row.id, version=version_of(row.document), name=row.name, wanted=row.document)


def art_rule(session: Session) -> ArtRule:
    """Return the house's rule for pictures: the declared one, or the one that the application comes with."""
    row = next(iter(documents_of(session, ART)), None)
    return ArtRule.model_validate(row.document) if row is not None else ArtRule()


def tag_rule(session: Session) -> TagRule:
    row = next((one for one in documents_of(session, HOUSE) if one.name == TAGS), None)
    return TagRule.model_validate(row.document) if row is not None else TagRule()


def filing_rule(session: Session) -> Naming | None:
    """Return the declared pattern, or the first saved one if none is declared; None if none is wanted or saved."""
    patterns = {row.name: row for row in documents_of(session, NAMING)}
    declared = next((one.document["pattern"] for one in documents_of(session, HOUSE) if one.name == FILING), None)
    row = next(iter(patterns.values()), None) if declared is None else patterns.get(declared)
    return Naming.model_validate(row.document) if row is not None else None


def house_rules(session: Session) -> House:
    """Return all rules that the house wants every file to keep."""
    tags = tag_rule(session)
    saved = {row.name: WordingRule.model_validate(row.document) for row in documents_of(session, WORDING)}
    return House(
        wanted=tags.wanted,
        silence_s=tags.silence_s,
        art=art_rule(session),
        naming=filing_rule(session),
        wording=tuple(saved[name] for name in tags.wording if name in saved),
    )


def _without_figures(words: str) -> str:
    """Return a finding's words without figures: findings that differ only in them are of one kind."""
    for of_size, kind in (("pixels", "too many pixels"), ("kB", "too many kB"), ("not square", "front is not square")):
        if of_size in words:
            return kind
    return words

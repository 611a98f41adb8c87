"""Settings that lead nowhere are named, each with what is wrong; those that lead somewhere are well."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from pydantic import SecretStr
from sqlalchemy import text

from inkwell_groove.admin.check_config import check_config
from inkwell_groove.admin.listing import settings_listed
from inkwell_groove.store.database import Database
from inkwell_groove.store.places import Place
from inkwell_groove.store.settings import Settings
from launcher.database import Database as MariaDb
from launcher.processes import free_port
from tests.broker import broker_in
from tests.certificates import certificate_in
from tests.live import new_schema
from tests.objects import storage_in


@pytest.fixture
def given(mariadb: MariaDb, tmp_path: Path) -> Settings:
    """Settings that all lead somewhere."""
    (tmp_path / "page").mkdir()
    (tmp_path / "page" / "index.html").touch()
    return Settings(
        database_url=new_schema(mariadb), media_root=tmp_path / "media", frontend_root=tmp_path / "page", node="n"
    )


def wrong(given: Settings) -> dict[str, str]:
    return {one.name: one.words for one in check_config(given) if not one.is_well}


def test_settings_that_lead_somewhere_are_well(given: Settings, tmp_path: Path) -> None:
    with broker_in(tmp_path) as broker, storage_in(tmp_path) as storage:
        changes = {
            "engine": "celery",
            "broker": SecretStr(broker.address),
            "media_bucket": f"s3://{storage.bucket}/media",
            "s3_endpoint": storage.how.endpoint,
            "s3_key_id": storage.how.key_id,
            "s3_secret": SecretStr(storage.how.secret),
        }
        several = given.model_copy(update=changes)
        assert wrong(several) == {}
        names = {one.name for one in check_config(several)}
    assert {"INKWELL_BROKER", "INKWELL_MEDIA_BUCKET", "INKWELL_DATABASE_URL", "mariadb-dump"} <= names
    assert wrong(several).keys() == {"INKWELL_BROKER", "INKWELL_MEDIA_BUCKET"}, "both are away by now"


def test_each_that_leads_nowhere_is_named_with_what_is_wrong(given: Settings, tmp_path: Path) -> None:
    (tmp_path / "file").touch()
    told = wrong(
        given.model_copy(
            update={
                "frontend_root": tmp_path / "no page",
                "second_root": tmp_path / "away",
                "places": (Place(name="vault", path=tmp_path / "vault"),),
            }
        )
    )
    assert told["INKWELL_SECOND_ROOT"] == f"there is no folder {tmp_path / 'away'}"
    assert told["INKWELL_PLACES, vault"] == f"there is no folder {tmp_path / 'vault'}"
    assert "index.html" in told["INKWELL_FRONTEND_ROOT"]
    assert len(told) == 3


def test_a_database_that_is_away_or_of_another_release_is_told(given: Settings) -> None:
    url = given.database_url
    nobody = given.model_copy(update={"database_url": f"mysql+pymysql://x@127.0.0.1:{free_port()}/x"})
    assert "does not answer" in wrong(nobody)["INKWELL_DATABASE_URL"]
    database = Database(url)
    with database.begin() as session:
        session.execute(text("UPDATE alembic_version SET version_num = '0003'"))
    database.close()
    assert "tables are of release 0003" in wrong(given)["INKWELL_DATABASE_URL"]
    assert "inkwell admin upgrade" in wrong(given)["INKWELL_DATABASE_URL"]


def test_a_certificate_that_does_not_fit_its_key_is_told(given: Settings, tmp_path: Path) -> None:
    own, key = certificate_in(tmp_path)
    assert wrong(given.model_copy(update={"tls_certificate": own, "tls_key": key})) == {}
    (tmp_path / "other").mkdir()
    _, other = certificate_in(tmp_path / "other")
    for bad in (other, tmp_path / "no key"):
        told = wrong(given.model_copy(update={"tls_certificate": own, "tls_key": bad}))
        assert "cannot be used" in told["INKWELL_TLS_CERTIFICATE"]


def test_all_settings_are_listed_with_what_they_are_and_without_secrets(tmp_path: Path) -> None:
    given = Settings(
        media_root=tmp_path / "media",
        places=(Place(name="vault", path=tmp_path / "vault"),),
        oidc_secret=SecretStr("not to be shown"),
        devices=False,
    )
    listed = "\n".join(settings_listed(given)).splitlines()
    assert f"INKWELL_MEDIA_ROOT={tmp_path / 'media'}" in listed
    assert "INKWELL_DEVICES=false" in listed
    assert "#INKWELL_PORT=8420" in listed, "what is as it is by default is marked"
    assert not any("not to be shown" in line for line in listed)
    assert sum(line.lstrip("#").startswith("INKWELL_") for line in listed) == len(Settings.model_fields)
    assert all("PLACES" not in line or json.loads(line.split("=", 1)[1])[0]["name"] == "vault" for line in listed)

"""What all tables share: times in UTC, names that match to the letter, conventions for keys."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import JSON, DateTime, MetaData, TypeDecorator, text
from sqlalchemy.dialects.mysql import DATETIME
from sqlalchemy.orm import DeclarativeBase

NOW = text("CURRENT_TIMESTAMP(6)")
EXACT = "utf8mb4_bin"  # names that must match to the letter


class UtcDateTime(TypeDecorator[datetime]):
    """Aware times in UTC, to the microsecond; MariaDB itself knows no zones."""

    impl = DateTime
    cache_ok = True

    def load_dialect_impl(self, dialect: Any) -> Any:
        return dialect.type_descriptor(DATETIME(fsp=6))

    def process_bind_param(self, value: datetime | None, _: Any) -> datetime | None:
        return None if value is None else value.astimezone(UTC).replace(tzinfo=None)

    def process_result_value(self, value: datetime | None, _: Any) -> datetime | None:
        return None if value is None else value.replace(tzinfo=UTC)


class Base(DeclarativeBase):
    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(column_0_label)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s_%(referred_table_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {  # noqa: RUF012 - SQLAlchemy's own form
        datetime: UtcDateTime(),
        dict[str, Any]: JSON(none_as_null=True),
    }


def now() -> datetime:
    return datetime.now(UTC)

"""`inkwell admin end-sign-ins`: what is done when a copy of the database or somebody's token may be in wrong hands.

There is no key to change: of cookies and tokens the database keeps digests alone, and secrets of others are settings.
"""

from __future__ import annotations

from sqlalchemy import delete, select

from inkwell_groove.store.database import Database
from inkwell_groove.store.models import Account, ScriptToken, SignIn, now
from inkwell_groove.workroom.people.access_log import note

_WHO = "inkwell admin"


def end_sign_ins(database: Database) -> tuple[int, int]:
    """Sign everybody out and revoke all tokens that are valid; return how many sign-ins and tokens there were.

    Servers look at both with each request, and at open streams within half a minute. The access log has a line for each
    token, and one for the sign-ins.
    """
    with database.begin() as session:
        signed_in = len(session.scalars(select(SignIn.token_sha256)).all())
        session.execute(delete(SignIn))
        valid = select(ScriptToken).where(ScriptToken.revoked_at.is_(None), ScriptToken.ends_at > now())
        tokens = session.scalars(valid.with_for_update()).all()
        for token in tokens:
            token.revoked_at = now()
            owner = session.get_one(Account, token.account_id).name
            note(session, kind="token", who=_WHO, address="", what=f"token of {owner} revoked: {token.purpose}")
        if signed_in:
            note(session, kind="signed out", who=_WHO, address="", what=f"everybody: {signed_in} sign-ins ended")
    return signed_in, len(tokens)

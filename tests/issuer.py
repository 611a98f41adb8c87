"""An issuer of OpenID Connect for tests: it signs in whoever it is told to, and can be told to lie."""

from __future__ import annotations

import base64
import hashlib
import secrets
import threading
import time
from collections.abc import Callable
from typing import Any
from urllib.parse import parse_qsl, urlencode

import uvicorn
from fastapi import FastAPI, Header, Request
from fastapi.responses import JSONResponse, RedirectResponse
from joserfc import jwt
from joserfc.jwk import ECKey

from launcher.processes import free_port
from tests.patience import PATIENCE_S

CLIENT, SECRET = "inkwell", "the client's secret"


class Issuer:
    """Runs in a thread of the test. `claims` are what it says of whoever signs in; `lies` replace what is true."""

    def __init__(self) -> None:
        self.address = f"http://127.0.0.1:{(port := free_port())}"
        self.claims: dict[str, Any] = {"sub": "s-1", "name": "Mira Tolland", "groups": ["staff"]}
        self.lies: dict[str, Any] = {}
        self.userinfo: dict[str, Any] = {}
        self.signs_with = self.key = ECKey.generate_key("P-256", {"kid": "one"})
        self.forge: Callable[[dict[str, Any]], str] | None = None
        self._codes: dict[str, dict[str, str]] = {}
        self._server = uvicorn.Server(
            uvicorn.Config(self._app(), host="127.0.0.1", port=port, log_level="error", lifespan="off")
        )
        self._thread = threading.Thread(target=self._server.run, daemon=True)
        self._thread.start()
        while not self._server.started:
            time.sleep(0.01)

    def stop(self) -> None:
        self._server.should_exit = True
        self._thread.join(PATIENCE_S)

    def id_token(self, asked: dict[str, str]) -> str:
        now = int(time.time())
        true = {
            "iss": self.address,
            "aud": CLIENT,
            "iat": now,
            "exp": now + 300,
            "nonce": asked["nonce"],
            **self.claims,
        }
        claims = {name: value for name, value in {**true, **self.lies}.items() if value is not None}
        return self.forge(claims) if self.forge else jwt.encode({"alg": "ES256", "kid": "one"}, claims, self.signs_with)

    def _app(self) -> FastAPI:
        app = FastAPI()

        @app.get("/.well-known/openid-configuration")
        def facts() -> dict[str, Any]:
            return {
                "issuer": self.address,
                "authorization_endpoint": f"{self.address}/authorize",
                "token_endpoint": f"{self.address}/token",
                "jwks_uri": f"{self.address}/keys",
                "userinfo_endpoint": f"{self.address}/userinfo",
            }

        @app.get("/keys")
        def keys() -> dict[str, Any]:
            return {"keys": [self.key.as_dict(private=False)]}

        @app.get("/authorize")
        def authorize(request: Request) -> RedirectResponse:
            asked = dict(request.query_params)
            assert asked["response_type"] == "code" and asked["client_id"] == CLIENT
            assert asked["code_challenge_method"] == "S256" and "openid" in asked["scope"].split()
            code = secrets.token_urlsafe()
            self._codes[code] = asked
            back = urlencode({"code": code, "state": asked["state"], "iss": self.address})
            return RedirectResponse(f"{asked['redirect_uri']}?{back}", 302)

        @app.post("/token")
        async def token(request: Request, authorization: str = Header()) -> JSONResponse:
            form = dict(parse_qsl((await request.body()).decode()))
            basic = base64.b64decode(authorization.removeprefix("Basic ")).decode()
            asked = self._codes.pop(form["code"], None)
            digest = hashlib.sha256(form["code_verifier"].encode()).digest()
            challenge = base64.urlsafe_b64encode(digest).decode().rstrip("=")
            if (
                asked is None
                or asked["redirect_uri"] != form["redirect_uri"]
                or asked["code_challenge"] != challenge
                or basic != f"{CLIENT}:{SECRET}"
            ):
                return JSONResponse({"error": "invalid_grant"}, 400)
            given = {"access_token": "for-userinfo", "token_type": "Bearer", "expires_in": 60}
            return JSONResponse({**given, "id_token": self.id_token(asked)})

        @app.get("/userinfo")
        def userinfo(authorization: str = Header()) -> dict[str, Any]:
            assert authorization == "Bearer for-userinfo"
            return self.userinfo

        return app

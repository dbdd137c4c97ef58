"""The plain server beyond loopback: the authority's certificate and what trusting it means, nothing else."""

from __future__ import annotations

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import HTMLResponse, PlainTextResponse, Response
from starlette.routing import Route

from zesty_cell.guard import SECURITY_HEADERS
from zesty_cell.network.listeners import Lan
from zesty_cell.web.http.templating import ENVIRONMENT


def create_certificate_app(lan: Lan) -> Starlette:
    """The application that gives the certificate of one network's authority."""

    def trust(_request: Request) -> Response:
        authority = lan.authority
        html = ENVIRONMENT.get_template("phone_trust.html").render(
            name=authority.name, fingerprint=authority.fingerprint, secure=lan.url("/pair")
        )
        return HTMLResponse(html, headers=_HEADERS)

    def certificate(_request: Request) -> Response:
        headers = _HEADERS | {"Content-Disposition": 'attachment; filename="zesty-cell.crt"'}
        return Response(lan.authority.certificate_der, media_type="application/x-x509-ca-cert", headers=headers)

    def nothing(_request: Request, _error: Exception) -> Response:
        return PlainTextResponse("Only the certificate is here.\n", 404, headers=_HEADERS)

    routes = [Route("/", trust), Route("/zesty-cell.crt", certificate)]
    return Starlette(routes=routes, exception_handlers={404: nothing, 405: nothing})


#: It has no script, and its few lines of style are in the page: the style sheet is behind pairing's door.
_HEADERS = SECURITY_HEADERS | {
    "Content-Security-Policy": (
        "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'; base-uri 'none'; form-action 'none'"
    ),
    "Cache-Control": "no-store",
}

"""A certificate authority of one machine, kept beside its database, and the certificates it gives that machine.

Whoever trusts an authority trusts it with everything, so this one is bound: its certificate says that it may vouch
for private addresses and this machine's name only, and phones hold it to that (RFC 5280, name constraints).
"""

from __future__ import annotations

import ipaddress
import os
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Final

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

from zesty_cell.core.errors import ZestyCellError
from zesty_cell.core.fact import Fact, fact
from zesty_cell.network.addresses import PRIVATE, is_private

#: How long it vouches, and how long a certificate it gives is good [days]; renewed when less than that is left.
AUTHORITY_DAYS: Final = 3650
SERVER_DAYS: Final = 90
RENEW_DAYS: Final = 30
#: Clocks of phones go wrong by less.
_EARLIER: Final = timedelta(days=1)


class AuthorityError(ZestyCellError, RuntimeError):
    """What is kept of the authority cannot be used."""


def _write_own(path: Path, content: bytes) -> None:
    """Write a file that its owner alone reads, whole or not at all."""
    part = path.with_suffix(path.suffix + ".part")
    part.unlink(missing_ok=True)
    descriptor = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(descriptor, "wb") as to:
        to.write(content)
        to.flush()
        os.fsync(to.fileno())
    part.replace(path)


def _pem(key: ec.EllipticCurvePrivateKey) -> bytes:
    return key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )


def own_folder(database: Path) -> Path:
    """Where a database's keys and devices are: beside it, for its owner alone; made where it is missing."""
    folder = database.with_name(f"{database.stem}.network")
    folder.mkdir(parents=True, exist_ok=True)
    folder.chmod(0o700)
    return folder


@dataclass(frozen=True)
class ServerFiles:
    """Key and certificate that the server shows, and what they are good for."""

    key: Path
    certificate: Path
    addresses: tuple[str, ...]
    names: tuple[str, ...]
    until: datetime


class Authority:
    """The authority of one folder: made there once, read there ever after.

    Raises
    ------
    AuthorityError
        When what stands there is no key and certificate, do not belong together, or are over.
    """

    def __init__(self, folder: Path, *, names: tuple[str, ...], now: datetime | None = None) -> None:
        self._folder = folder
        self._key_path, self._path = folder / "authority.key", folder / "authority.pem"
        if not self._key_path.exists() and not self._path.exists():
            self._make(names, now or datetime.now(UTC))
        try:
            key = serialization.load_pem_private_key(self._key_path.read_bytes(), password=None)
            self._certificate = x509.load_pem_x509_certificate(self._path.read_bytes())
        except (OSError, ValueError, TypeError) as error:
            raise AuthorityError(self._broken("unreadable")) from error
        if not isinstance(key, ec.EllipticCurvePrivateKey) or key.public_key() != self._certificate.public_key():
            raise AuthorityError(self._broken("apart"))
        if self._certificate.not_valid_after_utc <= (now or datetime.now(UTC)):
            raise AuthorityError(self._broken("over"))
        self._key = key
        for path in (self._key_path, self._path):
            path.chmod(0o600)

    def _broken(self, how: str) -> Fact:
        return fact(f"authority.{how}", folder=self._folder.name)

    def _make(self, names: tuple[str, ...], now: datetime) -> None:
        key = ec.generate_private_key(ec.SECP256R1())
        called = names[0] if names else "this machine"
        subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, f"Zesty Cell on {called}")])
        allowed: list[x509.GeneralName] = [x509.IPAddress(net) for net in PRIVATE]
        allowed += [x509.DNSName(name) for name in (*names, "localhost")]
        public = key.public_key()
        certificate = (
            x509.CertificateBuilder()
            .subject_name(subject)
            .issuer_name(subject)
            .public_key(public)
            .serial_number(x509.random_serial_number())
            .not_valid_before(now - _EARLIER)
            .not_valid_after(now + timedelta(days=AUTHORITY_DAYS))
            .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
            .add_extension(_usage(signs=True), critical=True)
            .add_extension(x509.NameConstraints(allowed, None), critical=True)
            .add_extension(x509.SubjectKeyIdentifier.from_public_key(public), critical=False)
            .sign(key, hashes.SHA256())
        )
        _write_own(self._key_path, _pem(key))
        _write_own(self._path, certificate.public_bytes(serialization.Encoding.PEM))

    @property
    def certificate_der(self) -> bytes:
        """Its certificate, as phones take it."""
        return self._certificate.public_bytes(serialization.Encoding.DER)

    @property
    def name(self) -> str:
        """What a phone lists it as."""
        return str(self._certificate.subject.get_attributes_for_oid(NameOID.COMMON_NAME)[0].value)

    @property
    def fingerprint(self) -> str:
        """SHA-256 of its certificate in pairs of digits, to compare by eye."""
        return self._certificate.fingerprint(hashes.SHA256()).hex(" ", 1).upper()

    def _may_vouch_for(self, name: str) -> bool:
        limits = self._certificate.extensions.get_extension_for_class(x509.NameConstraints).value
        allowed = [item.value for item in limits.permitted_subtrees or () if isinstance(item, x509.DNSName)]
        return any(name == item or name.endswith(f".{item}") for item in allowed)

    def server_files(
        self, *, addresses: tuple[str, ...], names: tuple[str, ...], now: datetime | None = None
    ) -> ServerFiles:
        """What the server shows at its present addresses and names: as it is kept, or given anew.

        Addresses that are not private and names that the authority may not vouch for are left out.
        """
        now = now or datetime.now(UTC)
        addresses = ("127.0.0.1", *(a for a in addresses if is_private(a)))
        names = tuple(name for name in (*names, "localhost") if self._may_vouch_for(name))
        kept = self._kept(now)
        if kept is None or set(kept.addresses) != set(addresses) or set(kept.names) != set(names):
            self._give(addresses, names, now)
            kept = self._kept(now)
        if kept is None:
            raise AuthorityError(self._broken("no_certificate"))
        return kept

    def _kept(self, now: datetime) -> ServerFiles | None:
        """The certificate that was given last, where it is still good and of this authority."""
        key_path, path = self._folder / "server.key", self._folder / "server.pem"
        try:
            key = serialization.load_pem_private_key(key_path.read_bytes(), password=None)
            certificate = x509.load_pem_x509_certificate(path.read_bytes())
            certificate.verify_directly_issued_by(self._certificate)
            found = certificate.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
        except Exception:  # whatever is wrong with what is kept, a new one is given
            return None
        if key.public_key() != certificate.public_key():
            return None
        until = certificate.not_valid_after_utc
        if until - now < timedelta(days=RENEW_DAYS):
            return None
        addresses = tuple(str(address) for address in found.get_values_for_type(x509.IPAddress))
        return ServerFiles(key_path, path, addresses, tuple(found.get_values_for_type(x509.DNSName)), until)

    def _give(self, addresses: tuple[str, ...], names: tuple[str, ...], now: datetime) -> None:
        key = ec.generate_private_key(ec.SECP256R1())
        good_for: list[x509.GeneralName] = [x509.IPAddress(ipaddress.ip_address(a)) for a in addresses]
        good_for += [x509.DNSName(name) for name in names]
        authority = self._certificate.extensions.get_extension_for_class(x509.SubjectKeyIdentifier).value
        until = min(now + timedelta(days=SERVER_DAYS), self._certificate.not_valid_after_utc)
        certificate = (
            x509.CertificateBuilder()
            .subject_name(x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Zesty Cell")]))
            .issuer_name(self._certificate.subject)
            .public_key(key.public_key())
            .serial_number(x509.random_serial_number())
            .not_valid_before(now - _EARLIER)
            .not_valid_after(until)
            .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
            .add_extension(_usage(signs=False), critical=True)
            .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
            .add_extension(x509.SubjectAlternativeName(good_for), critical=False)
            .add_extension(
                x509.AuthorityKeyIdentifier.from_issuer_subject_key_identifier(authority), critical=False
            )
            .sign(self._key, hashes.SHA256())
        )
        # Key and certificate change together or the old ones stand: a pair that does not fit is given anew.
        _write_own(self._folder / "server.key", _pem(key))
        _write_own(self._folder / "server.pem", certificate.public_bytes(serialization.Encoding.PEM))


def _usage(*, signs: bool) -> x509.KeyUsage:
    return x509.KeyUsage(
        digital_signature=not signs, content_commitment=False, key_encipherment=False, data_encipherment=False,
        key_agreement=False, key_cert_sign=signs, crl_sign=signs, encipher_only=False, decipher_only=False,
    )  # fmt: skip

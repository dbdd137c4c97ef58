"""The authority vouches for private addresses and this machine alone, keeps its key, and gives what is good."""

from __future__ import annotations

import ipaddress
import socket
import ssl
import stat
import threading
from datetime import UTC, datetime, timedelta

import pytest
from cryptography import x509
from cryptography.x509.oid import ExtendedKeyUsageOID

from zesty_cell.network.authority import (
    AUTHORITY_DAYS,
    RENEW_DAYS,
    SERVER_DAYS,
    Authority,
    AuthorityError,
    own_folder,
)

NAMES = ("lighthouse", "lighthouse.local")
NOW = datetime(2026, 5, 2, 9, 0, tzinfo=UTC)
HOME = ("192.168.1.20",)


@pytest.fixture
def folder(tmp_path):
    return own_folder(tmp_path / "club.sqlite")


def leaf(files):
    return x509.load_pem_x509_certificate(files.certificate.read_bytes())


def test_everything_is_readable_by_its_owner_alone(folder):
    Authority(folder, names=NAMES, now=NOW).server_files(addresses=HOME, names=NAMES, now=NOW)
    assert folder.name == "club.network"
    assert stat.S_IMODE(folder.stat().st_mode) == 0o700
    assert {p.name: stat.S_IMODE(p.stat().st_mode) for p in folder.iterdir()} == dict.fromkeys(
        ("authority.key", "authority.pem", "server.key", "server.pem"), 0o600
    )


def test_it_is_made_once(folder):
    first = Authority(folder, names=NAMES, now=NOW)
    (folder / "authority.key").chmod(0o644)  # copied about by somebody
    again = Authority(folder, names=("elsewhere",), now=NOW + timedelta(days=AUTHORITY_DAYS - 2))
    assert again.fingerprint == first.fingerprint
    assert stat.S_IMODE((folder / "authority.key").stat().st_mode) == 0o600
    pairs = first.fingerprint.split(" ")
    assert len(pairs) == 32
    assert all(len(pair) == 2 for pair in pairs)
    assert first.name == "Zesty Cell on lighthouse"


def test_the_authority_may_vouch_for_private_addresses_and_this_machine_only(folder):
    certificate = x509.load_der_x509_certificate(Authority(folder, names=NAMES, now=NOW).certificate_der)
    limits = certificate.extensions.get_extension_for_class(x509.NameConstraints)
    assert limits.critical
    names = {n.value for n in limits.value.permitted_subtrees if isinstance(n, x509.DNSName)}
    assert names == {"lighthouse", "lighthouse.local", "localhost"}
    networks = [n.value for n in limits.value.permitted_subtrees if isinstance(n, x509.IPAddress)]
    assert all(net.is_private or net == ipaddress.ip_network("100.64.0.0/10") for net in networks)
    assert not any(ipaddress.ip_address("9.9.9.9") in net for net in networks)
    basic = certificate.extensions.get_extension_for_class(x509.BasicConstraints)
    assert (basic.critical, basic.value.ca, basic.value.path_length) == (True, True, 0)
    usage = certificate.extensions.get_extension_for_class(x509.KeyUsage).value
    assert usage.key_cert_sign
    assert not usage.digital_signature


def test_a_certificate_names_what_the_machine_is_called_now(folder):
    authority = Authority(folder, names=NAMES, now=NOW)
    files = authority.server_files(addresses=(*HOME, "8.8.8.8"), names=(*NAMES, "router"), now=NOW)
    # An address of the open internet and a name it may not vouch for are left out.
    assert set(files.addresses) == {"127.0.0.1", *HOME}
    assert set(files.names) == {*NAMES, "localhost"}
    certificate = leaf(files)
    assert certificate.extensions.get_extension_for_class(x509.ExtendedKeyUsage).value._usages == [
        ExtendedKeyUsageOID.SERVER_AUTH
    ]
    assert not certificate.extensions.get_extension_for_class(x509.BasicConstraints).value.ca
    # Phones take none for longer than 825 days.
    assert certificate.not_valid_after_utc - certificate.not_valid_before_utc <= timedelta(days=398)
    assert files.until == NOW + timedelta(days=SERVER_DAYS)


def test_it_is_given_anew_where_addresses_change_or_it_is_nearly_over(folder):
    authority = Authority(folder, names=NAMES, now=NOW)
    first = leaf(authority.server_files(addresses=HOME, names=NAMES, now=NOW)).serial_number
    almost = NOW + timedelta(days=SERVER_DAYS - RENEW_DAYS)
    assert leaf(authority.server_files(addresses=HOME, names=NAMES, now=almost)).serial_number == first
    over = almost + timedelta(seconds=1)
    renewed = leaf(authority.server_files(addresses=HOME, names=NAMES, now=over)).serial_number
    assert renewed != first
    moved = leaf(authority.server_files(addresses=("10.0.0.7",), names=NAMES, now=over)).serial_number
    assert moved != renewed


def test_a_certificate_that_cannot_be_read_is_given_anew(folder):
    authority = Authority(folder, names=NAMES, now=NOW)
    first = leaf(authority.server_files(addresses=HOME, names=NAMES, now=NOW)).serial_number
    for name, content in (("server.pem", b"no certificate"), ("server.key", b"no key"), ("server.key", None)):
        if content is None:
            (folder / name).unlink()
        else:
            (folder / name).write_bytes(content)
        again = leaf(authority.server_files(addresses=HOME, names=NAMES, now=NOW)).serial_number
        assert again != first
        first = again


@pytest.mark.parametrize("damage", ["no key", "other key", "no certificate", "over"])
def test_an_authority_that_cannot_be_used_says_what_to_do(folder, tmp_path, damage):
    Authority(folder, names=NAMES, now=NOW)
    later = NOW
    if damage == "no key":
        (folder / "authority.key").write_bytes(b"nothing")
    elif damage == "no certificate":
        (folder / "authority.pem").unlink()
    elif damage == "over":
        later = NOW + timedelta(days=AUTHORITY_DAYS, seconds=1)
    else:
        other = own_folder(tmp_path / "other.sqlite")
        Authority(other, names=NAMES, now=NOW)
        (folder / "authority.key").write_bytes((other / "authority.key").read_bytes())
    with pytest.raises(AuthorityError, match=r"Delete authority\.key and authority\.pem"):
        Authority(folder, names=NAMES, now=later)


def shaken(files, authority_pem, host):
    """Whether a client that trusts the authority takes the server for a host."""
    server = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    server.load_cert_chain(files.certificate, files.key)
    here, there = socket.socketpair()

    def serve():
        try:
            server.wrap_socket(there, server_side=True).close()
        except OSError:
            there.close()

    thread = threading.Thread(target=serve)
    thread.start()
    client = ssl.create_default_context(cafile=str(authority_pem))
    try:
        client.wrap_socket(here, server_hostname=host).close()
        return True
    except ssl.SSLCertVerificationError:
        return False
    finally:
        here.close()
        thread.join()


def test_a_client_holds_it_to_that(folder):
    authority = Authority(folder, names=NAMES)
    files = authority.server_files(addresses=HOME, names=NAMES)
    pem = folder / "authority.pem"
    assert shaken(files, pem, "192.168.1.20")
    assert shaken(files, pem, "lighthouse.local")
    assert not shaken(files, pem, "192.168.1.21")
    # Somebody with the key gives himself a certificate for an open address: no client takes it.
    authority._give(("9.9.9.9",), ("bank.example",), datetime.now(UTC))
    assert not shaken(files, pem, "9.9.9.9")
    assert not shaken(files, pem, "bank.example")

"""A certificate for the crew's network, made at first start with a well-kept package.

A tablet is made to trust an authority that may speak for this one name, and whose key was thrown away once it had signed: who
takes the server's key can pretend to be this server and nothing else.
"""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

_VALID = timedelta(days=820)  # tablets refuse a server's certificate that is good for longer than 825 days
_RENEWED = timedelta(days=30)
_NEVER = datetime.min.replace(tzinfo=UTC)


@dataclass(frozen=True, slots=True)
class Certificates:
    """What a tablet is made to trust, what the server shows (its own certificate first), the server's key, and until when."""

    trusted: Path
    chain: Path
    key: Path
    until: datetime


def ensure_certificate(folder: Path, host: str) -> Certificates:
    """Return the certificates for a host name or address; made unless they are there and good for another month."""
    found = _paths(folder, host)
    now = datetime.now(UTC)
    if found.chain.exists() and found.key.exists() and found.trusted.exists():
        until = x509.load_pem_x509_certificate(found.chain.read_bytes()).not_valid_after_utc
        if until - now > _RENEWED:
            return _paths(folder, host, until)
    folder.mkdir(parents=True, exist_ok=True)
    authority_key, key = (ec.generate_private_key(ec.SECP256R1()) for _ in range(2))
    authority = _authority(authority_key, host, now)
    served = _served(key, authority, authority_key, host, now)
    found.key.unlink(missing_ok=True)
    found.key.touch(mode=0o600)
    found.key.write_bytes(
        key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    )
    shown, trusted = (c.public_bytes(serialization.Encoding.PEM) for c in (served, authority))
    found.chain.write_bytes(shown + trusted)
    found.trusted.write_bytes(trusted)
    return _paths(folder, host, served.not_valid_after_utc)


def _paths(folder: Path, host: str, until: datetime = _NEVER) -> Certificates:
    return Certificates(folder / f"{host}-authority.crt", folder / f"{host}.pem", folder / f"{host}.key", until)


def _named(words: str) -> x509.Name:
    return x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, words)])


def _authority(key: ec.EllipticCurvePrivateKey, host: str, now: datetime) -> x509.Certificate:
    """Return an authority that may sign for one name alone."""
    try:
        only: x509.GeneralName = x509.IPAddress(ipaddress.ip_network(host))
    except ValueError:
        only = x509.DNSName(host)
    name = _named(f"Gentle Quarry on {host}")
    return (
        _begun(name, name, key.public_key(), now)
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
        .add_extension(x509.NameConstraints(permitted_subtrees=[only], excluded_subtrees=None), critical=True)
        .add_extension(_usage(signs=True), critical=True)
        .sign(key, hashes.SHA256())
    )


def _served(
    key: ec.EllipticCurvePrivateKey, authority: x509.Certificate, by: ec.EllipticCurvePrivateKey, host: str, now: datetime
) -> x509.Certificate:
    """Return the certificate that the server shows."""
    try:
        alternative: x509.GeneralName = x509.IPAddress(ipaddress.ip_address(host))
    except ValueError:
        alternative = x509.DNSName(host)
    return (
        _begun(_named(host[:64]), authority.subject, key.public_key(), now)
        .add_extension(x509.SubjectAlternativeName([alternative]), critical=False)
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .add_extension(_usage(signs=False), critical=True)
        .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
        .sign(by, hashes.SHA256())
    )


def _begun(of: x509.Name, by: x509.Name, key: ec.EllipticCurvePublicKey, now: datetime) -> x509.CertificateBuilder:
    return (
        x509.CertificateBuilder()
        .subject_name(of)
        .issuer_name(by)
        .public_key(key)
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + _VALID)
    )


def _usage(*, signs: bool) -> x509.KeyUsage:
    return x509.KeyUsage(
        digital_signature=not signs,
        key_cert_sign=signs,
        crl_sign=signs,
        content_commitment=False,
        key_encipherment=False,
        data_encipherment=False,
        key_agreement=False,
        encipher_only=False,
        decipher_only=False,
    )

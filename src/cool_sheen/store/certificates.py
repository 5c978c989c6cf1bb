"""A certificate of one's own for one's own network, so that browsers allow what they allow over TLS alone."""

import ipaddress
import os
from datetime import datetime, timedelta
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

LASTS = timedelta(days=397)  # browsers take none that lasts longer


def names_of(name: str) -> list[x509.GeneralName]:
    """Return a host name, or the address that it is, as a certificate has it; and this machine's own names."""
    own: list[x509.GeneralName] = [x509.DNSName("localhost"), x509.IPAddress(ipaddress.ip_address("127.0.0.1"))]
    try:
        return [x509.IPAddress(ipaddress.ip_address(name)), *own]
    except ValueError:
        return [x509.DNSName(name), *own]


def make_certificate(folder: Path, name: str, now: datetime) -> tuple[Path, Path]:
    """Make a certificate that signs itself, and its key, which nobody else may read.

    Args:
        folder: Where both are put.
        name: The host name, or address, under which the shop is served.
        now: The present.

    Returns: The files of certificate and key. Source: RFC 5280; a year and a month, as browsers take it.
    """
    key = ec.generate_private_key(ec.SECP256R1())
    subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, name[:64])])
    made = (
        x509.CertificateBuilder()
        .subject_name(subject)
        .issuer_name(subject)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + LASTS)
        .add_extension(x509.SubjectAlternativeName(names_of(name)), critical=False)
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
        .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
        .sign(key, hashes.SHA256())
    )
    folder.mkdir(parents=True, exist_ok=True)
    certificate, secret = folder / "certificate.pem", folder / "key.pem"
    plain = key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    with os.fdopen(os.open(secret, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as out:
        out.write(plain)
    certificate.write_bytes(made.public_bytes(serialization.Encoding.PEM))
    return certificate, secret

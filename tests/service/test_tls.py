"""Served over TLS; who says for whom they ask is believed only when named."""

import datetime as dt
import json
import ssl
import subprocess
import sys
import time
from pathlib import Path

import httpx
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from loricate.commands import demo_site
from tests.rig import PATIENCE_S


def write_certificate(path: Path) -> None:
    """A certificate for localhost with its key, signed by itself."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "localhost")])
    now = dt.datetime.now(dt.UTC)
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - dt.timedelta(hours=1))
        .not_valid_after(now + dt.timedelta(days=1))
        .add_extension(x509.SubjectAlternativeName([x509.DNSName("localhost")]), critical=False)
        .add_extension(x509.BasicConstraints(ca=True, path_length=None), critical=True)
        .sign(key, hashes.SHA256())
    )
    pem = serialization.Encoding.PEM
    private = key.private_bytes(
        pem, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    path.write_bytes(private + made.public_bytes(pem))


def test_a_service_over_tls_says_so_and_believes_no_stranger_of_whom_it_is_for(
    tmp_path: Path,
) -> None:
    write_certificate(tmp_path / "cert.pem")
    with demo_site.stand_ins(1.0) as floor:
        demo_site.write_bench_file(floor.ports, tmp_path / "bench.toml")
        port = demo_site.free_port()
        words = ["serve", "--bench", str(tmp_path / "bench.toml"), "--data", str(tmp_path)]
        words += ["--port", str(port), "--tls-cert", str(tmp_path / "cert.pem")]
        words += ["--host-name", "localhost", "--account", "mara", "--json"]
        process = subprocess.Popen(
            [sys.executable, "-m", "loricate", *words], stdout=subprocess.PIPE, text=True,
            env={"LORICATE_PASSWORD": "mara-password", "PATH": ""},
        )  # fmt: skip
        try:
            assert process.stdout is not None
            assert json.loads(process.stdout.readline())["url"].startswith("https://")
            context = ssl.create_default_context(cafile=str(tmp_path / "cert.pem"))
            with httpx.Client(
                base_url=f"https://localhost:{port}", verify=context, timeout=PATIENCE_S
            ) as wire:
                until = time.monotonic() + PATIENCE_S
                while True:
                    try:
                        health = wire.get("/health")
                        break
                    except httpx.TransportError:
                        assert time.monotonic() < until
                        time.sleep(0.1)
                assert health.json()["status"] == "ok"
                assert health.headers["strict-transport-security"].startswith("max-age=")
                assert "server" not in health.headers
                told = []
                for number in range(7):
                    told.append(
                        wire.post(
                            "/api/v1/sign-in",
                            json={"name": "mara", "password": "guess"},
                            headers={"X-Forwarded-For": f"10.1.1.{number}"},
                        ).status_code
                    )
                assert told == [401] * 5 + [429] * 2, "one address, whatever it says"
                wrong = wire.get("/health", headers={"Host": "elsewhere.example"})
                assert wrong.status_code == 421
        finally:
            process.terminate()
            process.wait(timeout=60)
            if process.stdout is not None:
                process.stdout.close()

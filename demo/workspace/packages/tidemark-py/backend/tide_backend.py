"""Builds the wheel from an unpacked sdist with nothing but Python's own library (PEP 517)."""

import base64
import hashlib
import pathlib
import re
import zipfile


def _files():
    metadata = pathlib.Path("PKG-INFO").read_text(encoding="utf-8")
    name, version = (re.search(rf"^{field}: (.*)$", metadata, re.M).group(1) for field in ("Name", "Version"))
    stem = f"{re.sub(r'[-_.]+', '_', name).lower()}-{version}"
    info = f"{stem}.dist-info"
    modules = sorted(path for path in pathlib.Path("src").rglob("*.py"))
    files = {str(path.relative_to("src").as_posix()): path.read_bytes() for path in modules}
    files[f"{info}/METADATA"] = metadata.encode()
    files[f"{info}/WHEEL"] = b"Wheel-Version: 1.0\nGenerator: tide_backend\nRoot-Is-Purelib: true\nTag: py3-none-any\n"
    files[f"{info}/entry_points.txt"] = b"[console_scripts]\nfenmarsh-tides = tidemark_py.table:main\n"
    return stem, info, files


def build_wheel(wheel_directory, config_settings=None, metadata_directory=None):
    stem, info, files = _files()
    record = ""
    wheel = f"{stem}-py3-none-any.whl"
    with zipfile.ZipFile(pathlib.Path(wheel_directory) / wheel, "w") as archive:
        for path, content in files.items():
            archive.writestr(path, content)
            digest = base64.urlsafe_b64encode(hashlib.sha256(content).digest()).rstrip(b"=").decode()
            record += f"{path},sha256={digest},{len(content)}\n"
        archive.writestr(f"{info}/RECORD", f"{record}{info}/RECORD,,\n")
    return wheel


def build_sdist(sdist_directory, config_settings=None):
    raise NotImplementedError("the release makes the sdist")

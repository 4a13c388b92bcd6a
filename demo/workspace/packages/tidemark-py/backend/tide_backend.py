"""Builds the wheel from an sdist, or from a tag in git, with nothing but Python's own library (PEP 517)."""

import base64
import hashlib
import pathlib
import re
import zipfile


def _metadata():
    """What an sdist says of itself; of a checkout, what pyproject.toml and the newest heading of the changelog say."""
    if pathlib.Path("PKG-INFO").exists():
        return pathlib.Path("PKG-INFO").read_text(encoding="utf-8")
    project = pathlib.Path("pyproject.toml").read_text(encoding="utf-8")
    changes = pathlib.Path("CHANGELOG.md").read_text(encoding="utf-8")
    name = re.search(r'^name = "(.*)"$', project, re.M).group(1)
    version = re.search(r"^## (\d[^,\s]*)", changes, re.M).group(1)
    needs = re.search(r"^dependencies = \[(.*)\]$", project, re.M)
    lines = [f"Requires-Dist: {need}" for need in re.findall(r'"([^"]+)"', needs.group(1) if needs else "")]
    return "\n".join(["Metadata-Version: 2.1", f"Name: {name}", f"Version: {version}", *lines, ""])


def _files():
    metadata = _metadata()
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

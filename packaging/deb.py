"""Makes a .deb: a tree of its own under /opt/chronoxis, with the Python that runs here and all it needs.

usage: python packaging/deb.py WHEEL FOLDER
"""

import compileall
import gzip
import platform
import py_compile
import re
import shutil
import subprocess
import sys
import sysconfig
import tempfile
import zipfile
from collections.abc import Iterator
from importlib.metadata import Distribution, distribution
from pathlib import Path

from chronoxis import __version__
from chronoxis.app.theme.icon_sizes import icon_files
from chronoxis.cli.shell_files import MAN_PAGE, shell_files
from chronoxis.desktop.places import desktop_files

PREFIX = Path("opt/chronoxis")
EXTRAS = ("cluster",)
"""What else the program can do, as far as it is installed here."""

NOT_OF_PYTHON = {"test", "idlelib", "tkinter", "turtledemo", "lib2to3", "ensurepip", "site-packages"}
"""Parts of the standard library that nothing here uses."""

USED_OF_QT = {"Core", "Gui", "Widgets", "Svg", "DBus", "XcbQpa", "OpenGL", "WaylandClient"}
NOT_OF_QT = {
    "qml",
    "translations",
    "metatypes",
    "modules",
    "include",
    "typesystems",
    "glue",
    "support",
    "libexec",
}
PLUGINS_OF_QT = {
    "platforms",
    "platformthemes",
    "platforminputcontexts",
    "imageformats",
    "iconengines",
    "xcbglintegrations",
    "wayland-graphics-integration-client",
    "wayland-shell-integration",
    "wayland-decoration-client",
}
"""Plugins that a window of widgets needs."""

USED_OF_IMAGECODECS = re.compile(r"imagecodecs/(\w+\.py$|_cms|_shared|_imcd)|imagecodecs\.libs/liblcms")
"""Of two hundred codecs, one does colour profiles in 16 bits; photos are read by others."""

_LEFT_OUT = re.compile(r"(^|/)(tests?|__pycache__|docs?|examples?)/|\.(pyi|pxd|h|hpp|c|a|qmltypes)$")
_ALSO_NEEDED = (
    "libegl1",
    "libgl1",
    "libfontconfig1",
    "libxkbcommon0",
    "hicolor-icon-theme",
    "shared-mime-info",
)
_LOADED_LATER = ("libxcb-cursor0", "libpulse0")  # by Qt and by the player of sound


def main(wheel: Path, folder: Path) -> None:
    """Make the package beside the others."""
    with tempfile.TemporaryDirectory() as made:
        root = Path(made)
        root.chmod(0o755)
        tree = root / PREFIX
        put_python(tree)
        site = tree / "lib" / python_name() / "site-packages"
        put_packages(site)
        with zipfile.ZipFile(wheel) as archive:
            archive.extractall(site)
        put_programs(root, tree)
        put_data(root / "usr" / "share")
        compile_all(root, tree)
        control(root, needed_packages(tree))
        name = f"chronoxis_{__version__}_{architecture()}.deb"
        subprocess.run(
            ["dpkg-deb", "--root-owner-group", "-Zzstd", "-z12", "--build", root, folder / name],
            check=True, stdout=subprocess.DEVNULL,
        )  # fmt: skip


def python_name() -> str:
    """The folder of the standard library."""
    return f"python{sys.version_info.major}.{sys.version_info.minor}"


def architecture() -> str:
    """As packages call it."""
    return {"x86_64": "amd64", "aarch64": "arm64"}.get(platform.machine(), platform.machine())


def put_python(tree: Path) -> None:
    """The interpreter with its library; it finds that beside itself."""
    interpreter = Path(sys.executable).resolve()
    (tree / "bin").mkdir(parents=True)
    shutil.copy2(interpreter, tree / "bin" / python_name())
    stdlib = Path(sysconfig.get_path("stdlib"))
    shutil.copytree(stdlib, tree / "lib" / python_name(), ignore=_ignored_of_python, symlinks=False)
    (tree / "lib" / python_name() / "site-packages").mkdir(exist_ok=True)
    shared = Path(sysconfig.get_config_var("LIBDIR")) / str(sysconfig.get_config_var("INSTSONAME"))
    if sysconfig.get_config_var("Py_ENABLE_SHARED"):
        shutil.copy2(shared.resolve(), tree / "lib" / shared.name)
        subprocess.run(
            ["patchelf", "--set-rpath", "$ORIGIN/../lib", tree / "bin" / python_name()], check=True
        )


def _ignored_of_python(folder: str, names: list[str]) -> set[str]:
    if Path(folder) == Path(sysconfig.get_path("stdlib")):
        return (
            NOT_OF_PYTHON & set(names)
            | {name for name in names if name.startswith("config-")}
            | {"__pycache__"}
        )
    tests = {name for name in names if name in ("test", "tests", "__pycache__") or name.startswith("_test")}
    return tests | {name for name in names if name.startswith(("_tkinter", "_ctypes_test", "_testcapi"))}


def put_packages(site: Path) -> None:
    """What the program stands on, as it is installed here."""
    for needed in needed_distributions():
        for file in needed.files or ():
            source = Path(str(file.locate()))
            inside = not str(file).startswith("..") and source.is_file()
            if inside and not _is_left_out(str(file)):
                (site / file).parent.mkdir(parents=True, exist_ok=True)
                shutil.copy2(source, site / file)


def needed_distributions() -> list[Distribution]:
    """All that the program requires, and what that requires."""
    found: dict[str, Distribution] = {}
    left = list(_required(distribution("chronoxis"), EXTRAS))
    while left:
        name = left.pop()
        if name not in found:
            found[name] = distribution(name)
            left += _required(found[name], ())
    return list(found.values())


def _required(of: Distribution, extras: tuple[str, ...]) -> Iterator[str]:
    from packaging.requirements import Requirement  # noqa: PLC0415 - of the tools, not of the program

    for text in of.requires or ():
        wanted = Requirement(text)
        if wanted.marker is None or any(wanted.marker.evaluate({"extra": each}) for each in ("", *extras)):
            yield re.sub(r"[-_.]+", "-", wanted.name).lower()


def _is_left_out(file: str) -> bool:
    """Whether a file of a package is used by nobody here."""
    if file.startswith("PySide6/"):
        return _is_left_out_of_qt(file.removeprefix("PySide6/"))
    if file.startswith(("imagecodecs/", "imagecodecs.libs/")):
        return not USED_OF_IMAGECODECS.match(file)
    return (bool(_LEFT_OUT.search(file)) and not file.startswith(("numpy/", "scipy/"))) or "/tests/" in file


def _is_left_out_of_qt(file: str) -> bool:
    parts = file.removeprefix("Qt/").split("/")
    name = parts[-1]
    if parts[0] in NOT_OF_QT or name.endswith((".pyi", ".qmltypes", ".json")):
        return True
    if parts[0] == "plugins":
        return parts[1] not in PLUGINS_OF_QT
    if found := re.match(r"(?:libQt6|Qt)(\w+?)(?:\.abi3)?\.so", name):
        return found[1] not in USED_OF_QT and not found[1].startswith("Wayland")
    return len(parts) == 1 and not name.endswith((".py", ".so", ".txt")) and ".so." not in name


def put_programs(root: Path, tree: Path) -> None:
    """What is started by name."""
    program = tree / "bin" / "chronoxis"
    program.write_text(f"#!/{PREFIX}/bin/{python_name()} -Es\nfrom chronoxis.cli import main\n\nmain()\n")
    program.chmod(0o755)
    (root / "usr" / "bin").mkdir(parents=True)
    (root / "usr" / "bin" / "chronoxis").symlink_to(f"/{PREFIX}/bin/chronoxis")


def put_data(share: Path) -> None:
    """What the desktop, shells and readers of manuals look for."""
    for place, content in desktop_files("chronoxis", icon_files(), shell_files()).items():
        moved = place.replace("zsh/site-functions", "zsh/vendor-completions")
        (share / moved).parent.mkdir(parents=True, exist_ok=True)
        (share / moved).write_bytes(content)
    _gzip(share / MAN_PAGE)
    told = share / "doc" / "chronoxis"
    told.mkdir(parents=True)
    shutil.copy("LICENSE", told / "copyright")
    shutil.copy("CHANGELOG.md", told / "changelog")
    _gzip(told / "changelog")


def _gzip(file: Path) -> None:
    file.with_name(f"{file.name}.gz").write_bytes(gzip.compress(file.read_bytes(), mtime=0))
    file.unlink()


def compile_all(root: Path, tree: Path) -> None:
    """Compile every module, so that whoever runs it need not be able to write there."""
    compileall.compile_dir(
        tree / "lib", quiet=2, stripdir=str(root), prependdir="/", workers=0,
        invalidation_mode=py_compile.PycInvalidationMode.UNCHECKED_HASH,
    )  # fmt: skip


def needed_packages(tree: Path) -> list[str]:
    """The packages whose libraries are loaded from the system, with the C library's version."""
    binaries = [path for path in tree.rglob("*") if path.is_file() and _is_elf(path)]
    own = {path.name for path in binaries}
    listing = subprocess.run(
        ["ldd", *map(str, binaries)], capture_output=True, text=True, check=False
    ).stdout  # one that lacks a library that a desktop has, is not loaded without it
    paths = {found[2] for found in re.finditer(r"(\S+) => (/\S+)", listing) if found[1] not in own}
    names = set(_ALSO_NEEDED) | set(_LOADED_LATER)
    for library in {each for path in paths for each in (path, str(Path(path).resolve()))}:
        owner = subprocess.run(["dpkg", "-S", library], capture_output=True, text=True, check=False).stdout
        names |= {line.split(":")[0] for line in owner.splitlines() if not line.startswith("diversion")}
    names.discard("libc6")
    return [f"libc6 (>= {platform.libc_ver()[1]})", *sorted(names)]


def _is_elf(path: Path) -> bool:
    with path.open("rb") as file:
        return file.read(4) == b"\x7fELF"


def control(root: Path, needed: list[str]) -> None:
    """What the package says of itself."""
    kilobytes = sum(path.stat().st_size for path in root.rglob("*") if path.is_file()) // 1024
    fields = {
        "Package": "chronoxis",
        "Version": __version__,
        "Architecture": architecture(),
        "Maintainer": "The authors of Chronoxis <authors@chronoxis.example>",
        "Installed-Size": str(kilobytes),
        "Depends": ", ".join(needed),
        "Recommends": "desktop-file-utils",
        "Section": "video",
        "Priority": "optional",
        "Homepage": "https://chronoxis.example/",
        "Description": "condense long recordings and photos into time-lapses\n"
        " Speed, length, step and rate are linked exactly; frames are kept or gathered\n"
        " in linear light; the file is right to the frame.",
    }
    (root / "DEBIAN").mkdir()
    (root / "DEBIAN" / "control").write_text("".join(f"{name}: {value}\n" for name, value in fields.items()))


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]))

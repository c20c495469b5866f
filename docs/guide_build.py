"""What `mkdocs` needs beside the pages of the guide: type, and pictures cut out of those of the program.

A page has a picture by the name of a screenshot and a part of the window: ``pictures/demo-open.weave.png``.
"""

import re
import shutil
from pathlib import Path

from mkdocs.config.defaults import MkDocsConfig
from PIL import Image

DOCS = Path(__file__).parent
SCREENSHOTS = DOCS / "screenshots"
FONTS = DOCS.parent / "src" / "chronoxis" / "fonts"

PARTS = {
    "weave": (0, 32, 1280, 346),
    "pictures": (226, 350, 876, 792),
    "bench": (830, 350, 1272, 792),
    "lower": (8, 350, 1272, 792),
}
"""Parts of a window of 1280×800: left, top, right and bottom, in pixels."""

WHOLE = "all"
"""All of a picture, whatever its size."""

PICTURE = re.compile(r"pictures/([a-z-]+)\.([a-z]+)\.png")


def on_post_build(config: MkDocsConfig) -> None:
    """Put type and pictures beside the pages that were built."""
    site = Path(config.site_dir)
    (site / "fonts").mkdir(exist_ok=True)
    for font in FONTS.glob("*.ttf"):
        shutil.copy2(font, site / "fonts" / font.name)
    shutil.copy2(next(FONTS.glob("*.txt")), site / "fonts")
    pages = (page.read_text() for page in (DOCS / "guide").glob("*.md"))
    wanted = {found.groups() for text in pages for found in PICTURE.finditer(text)}
    (site / "pictures").mkdir(exist_ok=True)
    for name, part in sorted(wanted):
        with Image.open(SCREENSHOTS / f"{name}.png") as picture:
            shown = picture if part == WHOLE else picture.crop(PARTS[part])
            shown.save(site / "pictures" / f"{name}.{part}.png", optimize=True)
    (site / "__init__.py").write_text('"""The guide, as pages: made from docs/guide by mkdocs."""\n')
    for unused in ("sitemap.xml", "sitemap.xml.gz"):
        (site / unused).unlink(missing_ok=True)

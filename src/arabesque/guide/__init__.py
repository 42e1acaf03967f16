"""The guide: Markdown pages that ship with the program, as HTML for the window and for browsers."""

from arabesque.guide.pages import FIRST, body, exists, find, folder, links, names, text, title
from arabesque.guide.site import build

__all__ = ["FIRST", "body", "build", "exists", "find", "folder", "links", "names", "text", "title"]

"""Listening pages: one HTML file that holds a record's takes side by side, and what listeners say of them.

``document`` is what a page is made from, ``build`` makes it, ``page.js`` and ``page.css`` go into it.
"""

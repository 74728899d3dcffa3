"""Starting Debian's Chromium through Playwright."""

from __future__ import annotations

from playwright.sync_api import Browser, BrowserContext, Playwright

CHROMIUM = "/usr/bin/chromium"
ARGUMENTS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--disable-dev-shm-usage",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


def launch(playwright: Playwright) -> Browser:
    """Return a running headless browser."""
    return playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)


def context(browser: Browser, dark: bool = False) -> BrowserContext:
    """Return a fresh profile at the size the screens are made for."""
    return browser.new_context(
        viewport={"width": 1280, "height": 800},
        locale="en-GB",
        timezone_id="UTC",
        reduced_motion="reduce",
        color_scheme="dark" if dark else "light",
        accept_downloads=True,
    )

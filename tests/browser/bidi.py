"""A browser without a screen, driven by the standard protocol (W3C WebDriver BiDi), so that Chromium and Firefox are driven alike."""

from __future__ import annotations

import itertools
import json
import re
import shutil
import subprocess
import time
import urllib.request
from contextlib import ExitStack
from pathlib import Path
from typing import Any

from websockets.sync.client import ClientConnection, connect

START_S, ANSWER_S = 60, 30
KEYS = {
    "Enter": "\ue007",
    "Tab": "\ue004",
    "ArrowRight": "\ue014",
    "ArrowDown": "\ue015",
    "ArrowLeft": "\ue012",
    "Escape": "\ue00c",
    "Space": " ",
}
CONTROL = "\ue009"
PROMPTS = {"default": "ignore", "beforeUnload": "accept"}
CHROMIUM_ARGUMENTS = ["--headless=new", "--no-sandbox", "--disable-gpu", "--window-size=1280,900", "--disable-dev-shm-usage"]
FIREFOX_PREFERENCES = {
    "browser.download.folderList": 2, "browser.download.useDownloadDir": True, "browser.download.always_ask_before_handling_new_types": False,
    "browser.helperApps.neverAsk.saveToDisk": "application/json", "browser.download.panel.shown": False, "datareporting.policy.dataSubmissionEnabled": False,
    "app.update.enabled": False, "media.autoplay.default": 0,
}  # fmt: skip


def installed() -> list[str]:
    """The browsers that are here."""
    found = ["chromium"] if shutil.which("chromium") and shutil.which("chromedriver") else []
    return found + (["firefox"] if shutil.which("firefox-esr") or shutil.which("firefox") else [])


class Browser:
    """One window of a browser. downloads: where what is saved goes."""

    def __init__(self, kind: str, folder: Path) -> None:
        self.downloads = folder / "downloads"
        self.downloads.mkdir(parents=True)
        self._numbers = itertools.count(1)
        if kind == "chromium":
            self._process, address, self._session = _chromium(folder, self.downloads)
        else:
            self._process, address, self._session = *_firefox(folder, self.downloads), ""
        self._stack = ExitStack()
        self._line: ClientConnection = self._stack.enter_context(connect(address, max_size=None, open_timeout=START_S))
        if not self._session:
            self.ask("session.new", capabilities={"alwaysMatch": {"unhandledPromptBehavior": PROMPTS}})
        self._context = self.ask("browsingContext.getTree")["contexts"][0]["context"]

    def ask(self, method: str, **params: Any) -> dict[str, Any]:
        """Send a command and wait for its answer."""
        number = next(self._numbers)
        self._line.send(json.dumps({"id": number, "method": method, "params": params}))
        while True:
            answer = json.loads(self._line.recv(timeout=ANSWER_S))
            if answer.get("id") == number:
                assert answer["type"] == "success", answer
                return dict(answer["result"])

    def open(self, page: Path) -> None:
        self.ask("browsingContext.navigate", context=self._context, url=page.as_uri(), wait="complete")

    def evaluate(self, expression: str) -> Any:
        """The value of a JavaScript expression, by way of JSON."""
        found = self.ask(
            "script.evaluate",
            expression=f"(async () => JSON.stringify(await ({expression})))()",
            target={"context": self._context},
            awaitPromise=True,
        )
        assert found["type"] == "success", found
        return json.loads(found["result"]["value"]) if found["result"]["type"] == "string" else None

    def wait_for(self, expression: str, timeout_s: float = 10.0) -> Any:
        """Until an expression is true; its value."""
        end = time.monotonic() + timeout_s
        while not (value := self.evaluate(expression)):
            assert time.monotonic() < end, expression
            time.sleep(0.05)
        return value

    def click(self, selector: str, x: float = 0.5) -> None:
        """Press the mouse on an element, `x` of its width from its left."""
        box = self.evaluate(
            f"(() => {{ const e = document.querySelector({json.dumps(selector)}); e.scrollIntoView({{block: 'center'}}); const b = e.getBoundingClientRect();"
            " return [b.left, b.top, b.width, b.height]; })()"
        )
        at = {"x": round(box[0] + box[2] * x), "y": round(box[1] + box[3] / 2)}
        actions = [{"type": "pointerMove", **at}, {"type": "pointerDown", "button": 0}, {"type": "pointerUp", "button": 0}]
        self.ask("input.performActions", context=self._context, actions=[{"type": "pointer", "id": "mouse", "actions": actions}])

    def press(self, *keys: str) -> None:
        """Press keys one after the other: letters, or names of KEYS."""
        values = [KEYS.get(key, key) for key in keys]
        actions = [{"type": kind, "value": value} for value in values for kind in ("keyDown", "keyUp")]
        self.ask("input.performActions", context=self._context, actions=[{"type": "key", "id": "keys", "actions": actions}])

    def press_with_control(self, key: str) -> None:
        actions = [("keyDown", CONTROL), ("keyDown", KEYS.get(key, key)), ("keyUp", KEYS.get(key, key)), ("keyUp", CONTROL)]
        keys = [{"type": kind, "value": value} for kind, value in actions]
        self.ask("input.performActions", context=self._context, actions=[{"type": "key", "id": "keys", "actions": keys}])

    def type(self, text: str) -> None:
        self.press(*text)

    def choose_file(self, selector: str, path: Path) -> None:
        found = self.ask(
            "script.evaluate",
            expression=f"document.querySelector({json.dumps(selector)})",
            target={"context": self._context},
            awaitPromise=False,
        )
        self.ask("input.setFiles", context=self._context, element={"sharedId": found["result"]["sharedId"]}, files=[str(path)])

    def saved_file(self, pattern: str, timeout_s: float = 15.0) -> Path:
        """A file that was saved, once it is whole."""
        end = time.monotonic() + timeout_s
        while True:
            found = [
                p
                for p in self.downloads.glob(pattern)
                if p.stat().st_size and not list(self.downloads.glob("*.part")) + list(self.downloads.glob("*.crdownload"))
            ]
            if found:
                return found[0]
            assert time.monotonic() < end, list(self.downloads.iterdir())
            time.sleep(0.05)

    def close(self) -> None:
        if self._session:  # else its driver would leave it behind
            urllib.request.urlopen(urllib.request.Request(self._session, method="DELETE"), timeout=START_S).close()
        else:
            self.ask("browser.close")
        self._stack.close()
        _end(self._process)


def _end(process: subprocess.Popen[str]) -> None:
    process.terminate()
    try:
        process.wait(10)
    except subprocess.TimeoutExpired:
        process.kill()
        process.wait(10)
    if process.stdout is not None:
        process.stdout.close()


def _chromium(folder: Path, downloads: Path) -> tuple[subprocess.Popen[str], str, str]:
    """chromedriver, where a session of it is heard, and the address of that session."""
    process = subprocess.Popen(["chromedriver", "--port=0"], stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
    port = _heard(process, r"successfully on port (\d+)")
    options = {
        "args": [*CHROMIUM_ARGUMENTS, f"--user-data-dir={folder / 'profile'}"],
        "prefs": {"download.default_directory": str(downloads), "download.prompt_for_download": False},
    }
    wanted = {"capabilities": {"alwaysMatch": {"webSocketUrl": True, "unhandledPromptBehavior": PROMPTS, "goog:chromeOptions": options}}}
    request = urllib.request.Request(f"http://127.0.0.1:{port}/session", json.dumps(wanted).encode(), {"Content-Type": "application/json"})
    with urllib.request.urlopen(request, timeout=START_S) as answer:
        begun = json.load(answer)["value"]
    return process, begun["capabilities"]["webSocketUrl"], f"http://127.0.0.1:{port}/session/{begun['sessionId']}"


def _firefox(folder: Path, downloads: Path) -> tuple[subprocess.Popen[str], str]:
    profile = folder / "profile"
    profile.mkdir()
    preferences = {**FIREFOX_PREFERENCES, "browser.download.dir": str(downloads)}
    (profile / "user.js").write_text("".join(f"user_pref({json.dumps(k)}, {json.dumps(v)});\n" for k, v in preferences.items()))
    command = [
        shutil.which("firefox-esr") or "firefox",
        "--headless",
        "--no-remote",
        "--profile",
        str(profile),
        "--remote-debugging-port=0",
    ]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
    return process, f"{_heard(process, r'WebDriver BiDi listening on (ws://[^ ]+)').strip()}/session"


def _heard(process: subprocess.Popen[str], pattern: str) -> str:
    """What a program says on its way up."""
    assert process.stdout is not None
    for line in process.stdout:
        if found := re.search(pattern, line):
            return found[1]
    raise AssertionError(f"the browser ended: {process.wait()}")

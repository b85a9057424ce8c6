"""A real browser without a screen: opens a page from disk, asks it things, looks at it."""

import fcntl
import json
import os
import select
import shutil
import subprocess
import tempfile
import time

FLAGS = (
    "--headless=new", "--no-sandbox", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update",
    "--disable-sync", "--hide-scrollbars", "--use-gl=angle", "--use-angle=swiftshader", "--enable-unsafe-swiftshader",
    "--remote-debugging-pipe",
    "--force-color-profile=srgb",
)  # fmt: skip


def chromium():
    """Where the browser is, or None."""
    return shutil.which("chromium") or shutil.which("chromium-browser")


class Browser:
    """One browser with one page, of a size in pixels. said : what the page's console told."""

    def __init__(self, width, height):
        self._home = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        mine, theirs = os.pipe(), os.pipe()
        self._out, self._in = mine[1], theirs[0]

        def pipes():
            # Out of the way first: one of them may be 3 or 4 itself.
            ends = [fcntl.fcntl(end, fcntl.F_DUPFD, 20) for end in (mine[0], theirs[1])]
            os.dup2(ends[0], 3)
            os.dup2(ends[1], 4)

        command = [chromium(), *FLAGS, f"--user-data-dir={self._home.name}", f"--window-size={width},{height}", "about:blank"]
        self._process = subprocess.Popen(
            command, preexec_fn=pipes, close_fds=False, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        os.close(mine[0])
        os.close(theirs[1])
        self._heard, self._last, self.said, self._session = b"", 0, [], None
        targets = self._ask("Target.getTargets")["targetInfos"]
        page = next(each["targetId"] for each in targets if each["type"] == "page")
        self._session = self._ask("Target.attachToTarget", targetId=page, flatten=True)["sessionId"]
        for part in ("Page", "Runtime", "Log"):
            self._ask(f"{part}.enable")
        self._ask("Emulation.setDeviceMetricsOverride", width=width, height=height, deviceScaleFactor=1, mobile=False)

    def _next(self, patience):
        while b"\0" not in self._heard:
            if not select.select([self._in], [], [], patience)[0]:
                raise TimeoutError("the browser says nothing")
            more = os.read(self._in, 1 << 20)
            if not more:
                raise EOFError("the browser has ended")
            self._heard += more
        line, _, self._heard = self._heard.partition(b"\0")
        return json.loads(line)

    def _ask(self, method, patience=120.0, **parameters):
        self._last += 1
        message = {"id": self._last, "method": method, "params": parameters}
        if self._session:
            message["sessionId"] = self._session
        os.write(self._out, json.dumps(message).encode() + b"\0")
        while True:
            answer = self._next(patience)
            if answer.get("id") == self._last:
                if "error" in answer:
                    raise RuntimeError(f"{method}: {answer['error']['message']}")
                return answer["result"]
            if answer.get("method") == "Runtime.consoleAPICalled":
                self.said.append(" ".join(str(each.get("value", each.get("description"))) for each in answer["params"]["args"]))
            if answer.get("method") == "Runtime.exceptionThrown":
                self.said.append(answer["params"]["exceptionDetails"].get("exception", {}).get("description", "an exception"))
            if answer.get("method") == "Log.entryAdded":
                self.said.append(answer["params"]["entry"]["text"])

    def open(self, path):
        """Opens a file and waits until it has drawn a picture or said that it cannot."""
        self.said.clear()
        self._ask("Page.navigate", url=path.resolve().as_uri())
        end = time.monotonic() + 90
        while time.monotonic() < end:
            if self.run("document.readyState === 'complete' && (window.palePicture > 0 || !!window.paleFault)"):
                return
            time.sleep(0.1)
        raise TimeoutError(f"{path.name} draws nothing: {self.said}")

    def run(self, script):
        """What a script gives."""
        answer = self._ask("Runtime.evaluate", expression=script, returnByValue=True, awaitPromise=True)
        if "exceptionDetails" in answer:
            raise RuntimeError(answer["exceptionDetails"]["exception"].get("description", "an exception"))
        return answer["result"].get("value")

    def press(self, x, y, to=None):
        """Presses the pointer at a place, and drags it to another."""
        for kind, at in (("mousePressed", (x, y)), *((("mouseMoved", to),) if to else ()), ("mouseReleased", to or (x, y))):
            self._ask("Input.dispatchMouseEvent", type=kind, x=at[0], y=at[1], button="left", buttons=1, clickCount=1)

    def key(self, key, code):
        """Presses a key."""
        for kind in ("keyDown", "keyUp"):
            self._ask("Input.dispatchKeyEvent", type=kind, key=key, code=code, text=key if kind == "keyDown" else "")

    def close(self):
        self._process.kill()
        self._process.wait()
        os.close(self._out)
        os.close(self._in)
        shutil.rmtree(self._home.name, ignore_errors=True)

"""Under a running systemd: the shipped units as they are start, compute, come back when they are killed, and end in order."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from functools import partial
from pathlib import Path
from unittest import SkipTest

from api.tests.installation import SERVER, Browser, WebCase, children, free_port

PROGRAM = "/lib/systemd/systemd"
ROOT = SERVER.parent
APART = ("--fork", "--pid", "--mount", "--uts", "--ipc", "--cgroup", "--mount-proc")
"""What a machine within has of its own; the network is shared."""
TARGETS = ("sysinit", "basic", "shutdown", "multi-user", "network-online")
"""What the units expect of a machine; all that a machine does on its way there is left out."""
BEGIN = r"""
set -e
mount --make-rprivate /
mount -t tmpfs tmpfs /run
umount -l /sys/fs/cgroup 2>/dev/null || true
mount -t cgroup2 cgroup2 /sys/fs/cgroup
# The machine's own settings with a user more, and this clone where the units expect Rombel: writes stay in the folder of the test.
for what in etc opt; do mkdir -p "$FOLDER/$what/up" "$FOLDER/$what/work"; done
mount -t overlay overlay -o "lowerdir=/etc,upperdir=$FOLDER/etc/up,workdir=$FOLDER/etc/work" /etc
echo 'rombel:x:61998:61998::/opt/rombel:/usr/sbin/nologin' >> /etc/passwd
echo 'rombel:x:61998:' >> /etc/group
install -m 600 "$FOLDER/environment" /etc/rombel.env
mkdir "$FOLDER/python"; mount --bind "$PYTHON" "$FOLDER/python"
mount -t tmpfs -o mode=755 tmpfs /opt
mkdir /opt/rombel
mount -t overlay overlay -o "lowerdir=$ROOT,upperdir=$FOLDER/opt/up,workdir=$FOLDER/opt/work" /opt/rombel
chmod 755 /opt/rombel
chown -R rombel: /opt/rombel/core
case $PYTHON in /root/*|/home/*) # A Python in somebody's home is no part of an installation: it is shown where it lies, and nothing else of there.
  mount -t tmpfs -o mode=755 tmpfs "/$(echo "$PYTHON" | cut -d/ -f2)"
  mkdir -p "$PYTHON"; mount --bind "$FOLDER/python" "$PYTHON"
  mkdir -p "$FOLDER/units/rombel@.service.d"
  printf '[Service]\nProtectHome=no\n' > "$FOLDER/units/rombel@.service.d/python.conf";; esac
# Services get folders of their own within these two, which stay behind where a machine ends at once.
mkdir /run/units; mount --bind "$FOLDER/units" /run/units
mount -t tmpfs -o mode=1777 tmpfs /tmp; mount -t tmpfs -o mode=1777 tmpfs /var/tmp
exec env -i PATH="$PATH" container=rombel-test SYSTEMD_UNIT_PATH=/run/units "$PROGRAM" --system --unit=rombel.target --log-target=console --show-status=no
"""


def _may_begin() -> bool:
    """Return whether this machine lets a process begin a machine within it."""
    if os.geteuid() != 0 or not Path(PROGRAM).exists() or shutil.which("unshare") is None:
        return False
    tried = 'mount -t cgroup2 none /sys/fs/cgroup && d=$(mktemp -d) && mount -t tmpfs none "$d" && mkdir "$d"/a "$d"/b "$d"/c && '
    tried += 'mount -t overlay none -o "lowerdir=/etc,upperdir=$d/a,workdir=$d/b" "$d/c"'
    return (
        subprocess.run(
            ["unshare", *APART, "bash", "-c", tried], capture_output=True, check=False, timeout=60
        ).returncode
        == 0
    )


class TestSystemd(WebCase):
    @classmethod
    def setUpClass(cls) -> None:
        # Looked at here and not where the module is read: whoever runs other tests need not wait for it.
        if not _may_begin():
            raise SkipTest("Only root of a machine that allows namespaces and overlays can begin a systemd within it.")
        super().setUpClass()

    def setUp(self) -> None:
        super().setUp()
        self.prepared()
        self.script("ask_for_fit('Under systemd', 3)")
        # Outside of /tmp, of which services see one of their own.
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory(prefix="rombel-systemd-", dir="/var/tmp")))
        self.folder.chmod(0o755)
        units = self.folder / "units"
        units.mkdir()
        for shipped in (ROOT / "deploy").glob("rombel*"):
            if shipped.is_dir():
                shutil.copytree(shipped, units / shipped.name)
            elif shipped.suffix != ".example":
                shutil.copy(shipped, units)
        for name in TARGETS:
            (units / f"{name}.target").write_text(f"[Unit]\nDescription={name}\nDefaultDependencies=no\n", "utf-8")
        port = free_port()
        self.somebody = Browser(port)
        own = {name: value for name, value in self.environment.items() if name.startswith("ROMBEL_")}
        own["ROMBEL_BIND"] = f"127.0.0.1:{port}"
        (self.folder / "environment").write_text("".join(f"{name}={value}\n" for name, value in own.items()), "utf-8")
        self.machine = self.begun()

    def begun(self) -> int:
        """Return the number of the first process of a machine of its own that has begun the target."""
        places = {"FOLDER": str(self.folder), "ROOT": str(ROOT), "PYTHON": sys.base_prefix, "PROGRAM": PROGRAM}
        process = self.started(
            *APART,
            "--kill-child",
            "bash",
            "-c",
            BEGIN,
            python="unshare",
            script="",
            environment=self.environment | places,
        )
        self.until(lambda: self.first_of(process.pid) or process.poll() is not None, 60)
        self.assertIsNone(process.poll(), "The machine did not begin.")
        return self.first_of(process.pid)

    def first_of(self, begun_by: int) -> int:
        """Return the systemd that a process has become; 0: it has not yet."""
        return next(
            (
                own
                for own in children(begun_by)
                if Path(f"/proc/{own}/cmdline").read_bytes().startswith(PROGRAM.encode())
            ),
            0,
        )

    def inside(self, *words: str) -> str:
        """Return what a command within the machine says."""
        into = ["nsenter", "--target", str(self.machine), "--mount", "--pid", *words]
        return subprocess.run(into, capture_output=True, text=True, check=False, timeout=120).stdout.strip()

    def of(self, unit: str, name: str) -> str:
        """Return a property of a unit."""
        return self.inside("systemctl", "show", "--value", "--property", name, f"rombel@{unit}.service")

    def has_ended(self, unit: str) -> bool:
        """Return whether a unit runs no longer, however it ended."""
        return self.of(unit, "ActiveState") in ("inactive", "failed")

    def is_ready(self) -> bool:
        """Return whether people can work and somebody computes."""
        return self.somebody.is_there() and self.somebody.call("GET", "/readyz")[0] == 200

    def test_the_shipped_units_start_compute_come_back_and_end(self) -> None:
        self.until(self.is_ready)
        for unit in ("serve", "worker"):
            self.assertEqual(self.of(unit, "ActiveState"), "active")
            self.assertEqual(self.inside("stat", "--format", "%u", f"/proc/{self.of(unit, 'MainPID')}"), "61998")
        # The code is fenced off from what it runs, and what is compiled can still be kept beside its source.
        tried = "touch /opt/rombel/server/written; touch /opt/rombel/core/written && echo kept"
        within = ("nsenter", "--target", self.of("worker", "MainPID"), "--mount", "sh", "-c", f"({tried}) 2>&1")
        said = self.inside(*within)
        self.assertTrue("Read-only file system" in said and said.endswith("kept"), said)
        self.until(lambda: self.sql("select status from jobs_job where kind = 'fit'") == [("done",)])
        killed = self.of("serve", "MainPID")
        self.inside("kill", "-KILL", killed)
        self.until(lambda: self.of("serve", "MainPID") not in (killed, "0") and self.is_ready())
        self.assertEqual((self.of("serve", "NRestarts"), self.of("worker", "NRestarts")), ("1", "0"))
        self.inside("systemctl", "stop", "rombel.target")
        for unit in ("serve", "worker"):
            self.until(partial(self.has_ended, unit), 60)
            self.assertEqual((self.of(unit, "ActiveState"), self.of(unit, "Result")), ("inactive", "success"), unit)
        self.assertFalse(self.somebody.is_there())

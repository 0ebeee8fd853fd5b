#!/usr/bin/env python3
# watch_keys.py PROGRAM CASES FOLDER: runs a case in a terminal of its own, presses keys and reads what comes.
import codecs, fcntl, os, pty, re, select, struct, sys, termios, time

program, folder = sys.argv[1], sys.argv[2]
os.makedirs(folder, exist_ok=True)
os.chdir(folder)
with open("rod.toml", "w") as case:
    case.write("""title = "Rod"
[grid]
x = { from = 0, to = 1, cells = 100 }
[equation]
kind = "diffusion"
diffusivity = 1e-6
[initial]
value = "x"
[boundary]
default = "insulated"
[time]
until = 1000
scheme = "explicit-euler"
step = 1e-5
tiling = "off"
[record]
every = 1
series = 1000
""")


def fail(what):
    sys.exit(f"watch_keys.py: {what}")


class Terminal:
    def __init__(self, arguments, columns, rows, environment):
        pid, self.end = pty.fork()
        if pid == 0:
            os.environ.update(environment)
            os.execv(program, [program, *arguments])
        self.pid, self.text = pid, ""
        # A letter can come in two pieces.
        self.letters = codecs.getincrementaldecoder("utf-8")()
        self.size(columns, rows)

    def size(self, columns, rows):
        fcntl.ioctl(self.end, termios.TIOCSWINSZ, struct.pack("HHHH", rows, columns, 0, 0))

    def press(self, keys):
        os.write(self.end, keys.encode())

    # Reads for so many seconds, or until the pattern comes.
    def read(self, seconds, pattern=None):
        until, fresh = time.time() + seconds, ""
        while time.time() < until:
            if not select.select([self.end], [], [], 0.05)[0]:
                continue
            try:
                piece = os.read(self.end, 65536)
            except OSError:
                piece = b""
            if not piece:
                break
            fresh += self.letters.decode(piece)
            if pattern and re.search(pattern, fresh):
                break
        self.text += fresh
        return fresh

    def expect(self, pattern, why):
        if not re.search(pattern, self.read(60, pattern)):
            fail(f"{why}: no '{pattern}' came")

    def code(self):
        return os.waitstatus_to_exitcode(os.waitpid(self.pid, 0)[1])


# Lines of the last whole page, without colours.
def page(text):
    last = text.rsplit("\033[H", 1)[1].split("\033[J")[0]
    return re.sub(r"\033\[[0-9;]*[A-Za-z]", "", last).replace("\r", "").split("\n")


run = Terminal(["run", "rod.toml", "--watch", "-o", "run"], 80, 24, {"TERM": "xterm-256color", "COLORTERM": ""})
run.expect(r"space pauses[^\n]*\n\033\[J", "a page")
if "\033[38;5;" not in run.text or "\033[?1049h" not in run.text:
    fail("the page has no colours, or is none of its own")
run.press(" ")
run.expect(r"paused[^\n]*\n\033\[J", "a pause")
run.read(0.5)
if run.read(1.5):
    fail("a paused run goes on")
steps = [int(n) for n in re.findall(r"step (\d+)", run.text)]
run.press("n")
run.expect(r"paused[^\n]*\n\033\[J", "a step")
stepped = [int(n) for n in re.findall(r"step (\d+)", run.text)][len(steps):]
if stepped[-1:] and not steps[-1] < stepped[-1] <= steps[-1] + 2:
    fail(f"a step goes from {steps[-1]} to {stepped[-1]}")
run.size(50, 16)
run.expect(r"paused[^\n]*\n\033\[J", "another size")
narrow = page(run.text)
if len(narrow) > 16 or max(map(len, narrow)) > 50:
    fail(f"a page of {len(narrow)} lines of up to {max(map(len, narrow))} characters in 50 × 16")
run.press(" ")
run.expect(r"space pauses", "going on")
run.press("s")
run.read(30)
after = run.text.rsplit("\033[?1049l", 1)[1]
if run.code() != 130:
    fail("a run that was stopped by a key tells another exit code than 130")
if "Rod" not in after or "run/fields.nc" not in after:
    fail("neither the last picture nor the report follow the page")
if not os.path.exists("run/fields.nc"):
    fail("the record is lost")
if "\n" in after.replace("\r\n", ""):
    fail("the terminal is left without its own way to end lines")

# Without colours, and where no pictures can be shown.
plain = Terminal(["run", "rod.toml", "--watch", "-o", "plain"], 80, 24, {"TERM": "xterm", "NO_COLOR": "1"})
plain.expect(r"space pauses", "a page without colours")
if re.search(r"\033\[[34]8;", plain.text):
    fail("NO_COLOR is not heeded")
plain.press("q")
plain.read(30)
plain.code()
dumb = Terminal(["run", "rod.toml", "--watch", "-o", "dumb", "--set", "time.until=0.01"], 80, 24, {"TERM": "dumb"})
dumb.read(30)
if dumb.code() != 0 or "\033[?1049h" in dumb.text or "told in lines" not in dumb.text:
    fail("a terminal that cannot show pictures gets some, or is not told")

"""Own nodes that are wrong in every way we could think of: each a body, and
what a take of it has to say.
"""

from dataclasses import dataclass, replace

HEAD = "from umbrant.nodes import *\n\n"
LIMIT_S = 0.3
"""How long a call may take in the project that they are tried in."""


@dataclass(frozen=True)
class HostileNode:
    """One way to be wrong. `text` is the file of nodes, in which `bad` is the
    node that the row runs.
    """

    name: str
    text: str
    ends_take: bool = False
    """Whether it ends the take. If not, it fails its row, and the rest is
    played.
    """
    is_harmless: bool = False
    """Whether nothing is wrong with what comes of it: neither the row nor the
    take has to end.
    """
    says: str = "nodes/bad.py, line "
    """What the reason has to begin with."""


def action(
    body: str, *, before: str = "", params: str = "", help_: str = ""
) -> str:
    """A file with one action of this body."""
    lines = "\n".join(f"    {line}" for line in body.splitlines())
    phrase = "bad" + "".join(
        f" {{{name.split(':')[0].strip()}}}"
        for name in params.split(",")
        if name.strip()
    )
    head = f"me: Agent{', ' + params if params else ''}"
    return f'{HEAD}{before}\n\n@action("{phrase}")\ndef bad({head}):\n    """Is wrong.\n\n    {help_}\n    """\n{lines}\n'


def sense(body: str, before: str = "") -> str:
    """A file with one sense, asked by the guard of the row."""
    lines = "\n".join(f"    {line}" for line in body.splitlines())
    return f'{HEAD}{before}\n\n@sense("badness", gives=KeyType.NUMBER)\ndef badness(me: Agent):\n    """Is wrong."""\n{lines}\n'


def raising(name: str, body: str, before: str = "") -> list[HostileNode]:
    """The same mistake at once, in a later step, while tidying up, in a hook,
    and in a sense.
    """
    indented = body.replace("\n", "\n    ")
    return [
        HostileNode(f"{name}, at once", action(body, before=before)),
        HostileNode(
            f"{name}, in a later step",
            action(f"yield\n{body}\nyield", before=before),
        ),
        HostileNode(
            f"{name}, while tidying up",
            action(
                f"try:\n    yield\n    yield\n    yield\nfinally:\n    {indented}",
                before=before,
            ),
        ),
        HostileNode(
            f"{name}, as the row is entered",
            action("return True", before=before)
            + f"\n@bad.entered\ndef begin(me):\n    {indented}\n",
        ),
        HostileNode(f"{name}, in a sense", sense(body, before=before)),
    ]


ODD_STR = (
    "class Odd(Exception):\n    def __str__(self): raise RuntimeError('no text')\n    "
    "__repr__ = __str__\n"
)
ODD_REPR = (
    "class Odd:\n    def __repr__(self): raise RuntimeError('no text')\n    def "
    "__eq__(self, o): raise RuntimeError('eq')\n"
)
SURROGATE = (
    "class Odd(Exception):\n    def __str__(self): return 'half \\ud800 of it'\n    "
    "__repr__ = __str__\n"
)
STUBBORN = "class Odd(BaseException): pass\n"

RAISING = [
    *raising("raises", "raise RuntimeError('no')"),
    *raising("sys.exit", "import sys\nsys.exit(0)"),
    *raising("any BaseException", "raise Odd('mine')", STUBBORN),
    # Raised while tidying up it is what tidying up ends with.
    *(
        replace(each, is_harmless="tidying" in each.name)
        for each in raising("GeneratorExit", "raise GeneratorExit")
    ),
    *raising("StopIteration", "raise StopIteration(5)"),
    *raising("an error without a text", "raise Odd", ODD_STR),
    *raising("an error with half a character", "raise Odd", SURROGATE),
    *raising("recursion", "def deep(): return deep() + 1\ndeep()"),
    *raising("memory", "return bytearray(1 << 60)"),
]

HANGING = [
    *raising("a loop", "while True:\n    pass"),
    *raising("a loop in C", "sum(range(10**12))"),
    *raising("a sleep", "import time\ntime.sleep(1000)"),
    *raising(
        "a loop that catches everything",
        "while True:\n    try:\n        while True: pass\n    except BaseException: pass",
    ),
    *raising(
        "signals ignored",
        "import signal\nfor each in (signal.SIGALRM, signal.SIGTERM, signal.SIGINT, "
        "signal.SIGUSR1):\n"
        "    signal.signal(each, signal.SIG_IGN)\nwhile True: pass",
    ),
    HostileNode(
        "an own sense that is asked inside an own action, and then a loop",
        action(
            "me.board.get('n')\nbadness(me) if False else None\nwhile True: pass"
        )
        + "\n"
        + sense("return 1.0").removeprefix(HEAD),
    ),
    HostileNode(
        "an error whose text never ends",
        action(
            "raise Odd",
            before="class Odd(Exception):\n    def __str__(self):\n        while True: pass\n",
        ),
    ),
    HostileNode(
        "a result whose text never ends",
        action(
            "return Odd()",
            before="class Odd:\n    def __repr__(self):\n        while True: pass\n",
        ),
    ),
]

ENDING = [
    *raising("os._exit", "import os\nos._exit(0)"),
    *raising("abort", "import os\nos.abort()"),
    *raising("a segmentation fault", "import ctypes\nctypes.string_at(0)"),
    *raising(
        "kill",
        "import os, signal\nos.kill(os.getpid(), signal.SIGKILL)\nimport time\ntime.sleep(5)",
    ),
]

GIVING = [
    *(
        HostileNode(
            f"returns {value}", action(f"return {value}", before=ODD_REPR)
        )
        for value in (
            "5",
            "'yes'",
            "1.0",
            "[]",
            "object()",
            "Odd()",
            "float('nan')",
            "10**5000",
            "(x for x in [])",
            "Reading(True)",
        )
    ),
    *(
        HostileNode(
            f"senses {value}", sense(f"return {value}", before=ODD_REPR)
        )
        for value in (
            "float('nan')",
            "float('inf')",
            "10**5000",
            "object()",
            "Odd()",
            "[1]",
            "'\\ud800'",
            "Reading(object())",
            "Reading(1.0, float('nan'))",
            "Reading(1.0, 'x')",
            "Reading(1.0, 1.0, 'no cause')",
        )
    ),
    *(
        HostileNode(
            f"writes {value} to a number",
            action(
                f"n.set({value})",
                params="n: NumberKey",
                help_="n: a key",
                before=ODD_REPR,
            ),
        )
        for value in (
            "object()",
            "'x'",
            "float('nan')",
            "float('inf')",
            "10**5000",
            "Odd()",
            "(1, 2)",
            "True",
        )
    ),
    *(
        HostileNode(
            f"calls {call}", action(f"{call}\nreturn True", before=ODD_REPR)
        )
        for call in (
            "me.world.say(me.name, 5)",
            "me.world.say('nobody', 'x')",
            "me.world.say(me.name, 'half \\ud800')",
            "me.world.say(None, None)",
            "me.world.head_for(me.name, (float('nan'), 0), 0, 1)",
            "me.world.head_for('nobody', (1, 1), 0, 1)",
            "me.world.head_for(me.name, 'there', 0, 1)",
            "me.world.turn(me.name, float('inf'))",
            "me.world.make_noise('bang')",
            "me.world.make_noise(Noise('x', 1, 0, 'a', 'b'))",
            "me.events.raise_event(5, '', 0)",
            "me.events.raise_event('x', '', float('nan'))",
            "me.board.set('nothing', 1)",
            "me.board.set('n', 'x')",
            "me.body.place = ('a', 'b')",
            "me.body.heading_deg = None",
            "me.name = 'x'",
            "me.world = None",
            "me.world.carry(me.name, 5)",
            "me.world.look('a', 'b')",
            "me.board.get([])",
            "me.others_in(5)",
            "me.world.put_down('nobody', (1, 1))",
            "me.random = None",
            "me.body.change_stat('x', 'y')",
            "me.world.way_to(me.name, (1,))",
            "me.world.now_s = 5",
        )
    ),
    *(
        HostileNode(
            f"yields {value}",
            action(
                f"yield {value}\nyield {value}\nreturn True", before=ODD_REPR
            ),
        )
        for value in (
            "Progress('x')",
            "Progress(float('nan'))",
            "Progress(1.0, 2.0, 5)",
            "Progress(1, 2, 'm', 'way')",
            "Progress(1, 2, 'm', ((1,),))",
            "Progress(1, 2, 'm', (), 'x')",
            "Progress(10**5000)",
            "Progress(Odd())",
        )
    ),
    *(
        HostileNode(
            f"yields {value}",
            action(f"while True:\n    yield {value}", before=ODD_REPR),
            is_harmless=True,
        )
        for value in ("5", "object()", "Odd()", "None")
    ),
]

HARMLESS = [
    HostileNode(
        "stdout closed",
        action("import sys\nsys.stdout.close()\nreturn True"),
        is_harmless=True,
    ),
    HostileNode(
        "stdout replaced",
        action("import sys\nsys.stdout = sys.stderr = None\nreturn True"),
        is_harmless=True,
    ),
    HostileNode(
        "standard streams closed",
        action("import os\nos.close(0); os.close(1)\nreturn True"),
        is_harmless=True,
    ),
    HostileNode(
        "prints what is not UTF-8",
        action(
            "import os\nos.write(2, b'\\xff\\xfe')\nprint('\\ud800')\nreturn True"
        ),
        is_harmless=True,
    ),
    HostileNode(
        "prints a lot",
        action("print('x' * 100000)\nreturn True"),
        is_harmless=True,
    ),
    HostileNode(
        "a thread left behind",
        action(
            "import threading, time\nthreading.Thread(target=time.sleep, "
            "args=(1000,)).start()\nreturn True"
        ),
        is_harmless=True,
    ),
    HostileNode(
        "a process left behind",
        action(
            "import subprocess\nsubprocess.Popen(['sleep', '1000'])\nreturn True"
        ),
        is_harmless=True,
    ),
    HostileNode(
        "a copy of the process",
        action("import os\nos.fork()\nyield\nreturn True"),
        is_harmless=True,
    ),
    HostileNode(
        "modules patched",
        action("import math\nmath.dist = math.hypot = None\nreturn True"),
        is_harmless=True,
    ),
    HostileNode(
        "an exit handler",
        action(
            "import atexit, time\natexit.register(time.sleep, 1000)\nreturn True"
        ),
        is_harmless=True,
    ),
    HostileNode(
        "the global random state",
        action("import random\nrandom.seed(1)\nreturn random.random() < 2"),
        is_harmless=True,
    ),
    HostileNode(
        "another working folder",
        action("import os\nos.chdir('/')\nreturn True"),
        is_harmless=True,
    ),
    HostileNode(
        "a generator that goes on while tidying up",
        action(
            "while True:\n    try:\n        yield\n    except GeneratorExit:\n        yield"
        ),
    ),
]

POKING = [
    HostileNode(name, action(f"{body}\nyield\nyield"), ends_take=True, says="")
    for name, body in (
        (
            "writes a place behind the view",
            "me.world.cast['warden'].place = ('a', 'b')",
        ),
        ("takes the world away", "me._me.world = None"),
        ("takes the rows away", "me._me._root = 5"),
        ("closes the pipes", "import os\nos.closerange(3, 100)"),
        (
            "closes the pipes and goes on",
            "import os\nos.closerange(3, 100)\nwhile True: pass",
        ),
    )
]
"""What is not the node's own, changed behind the views: the take ends, and the
message names the node that ran last.
"""

AT_TOP = [
    HostileNode(
        f"{name}, at the top of the file",
        action("return True", before=before),
        ends_take=True,
        says="nodes/bad.py",
    )
    for name, before in (
        ("raises", "raise RuntimeError('no')"),
        ("sys.exit", "import sys; sys.exit(0)"),
        ("os._exit", "import os; os._exit(0)"),
        ("a loop", "while True: pass"),
        ("a loop in C", "sum(range(10**12))"),
        ("a segmentation fault", "import ctypes; ctypes.string_at(0)"),
        ("an error without a text", ODD_STR + "raise Odd"),
        ("a name that is taken", "def action(*a): return lambda f: f"),
    )
]

ALL = [
    *RAISING,
    *(replace(each, ends_take=True) for each in (*HANGING, *ENDING)),
    *GIVING,
    *HARMLESS,
    *POKING,
    *AT_TOP,
]

"""The commands by name: where each stands, and its summary, so that --help imports none of them."""

COMMANDS: dict[str, tuple[str, str]] = {
    "demo": ("cli.commands.demo:command", "the application on a case that ships with it"),
    "open": ("cli.commands.open:command", "the application on a program and its logs"),
    "survey": ("cli.commands.survey:command", "what is in a program and what runs when"),
    "xref": ("cli.commands.xref:command", "where every tag is read and written, and how"),
    "find": ("cli.commands.find:command", "when a condition holds in the logs"),
    "replay": ("cli.commands.replay:command", "replay logs, write what every tag did"),
    "draw": ("cli.commands.draw:command", "rungs on paper, with power flow at a moment"),
    "report": ("cli.commands.report:command", "the answer on paper"),
    "why": ("cli.commands.why:command", "why a tag is off, on, or flickers"),
    "check": ("cli.commands.check:command", "what looks suspicious in a program"),
    "explain": ("cli.commands.explain:command", "a page on every link, root, fault, finding, block"),
    "ways": ("cli.commands.ways:command", "what a tag needs to pull in, and whether two circuits agree"),
    "right": ("cli.commands.right:command", "when a tag was last right, and what differs since"),
    "odd": ("cli.commands.odd:command", "what was unusual in the logs"),
    "mismatches": ("cli.commands.mismatches:command", "where the logs recorded otherwise than is computed"),
    "try": ("cli.commands.try_:command", "replay again with something held, forced or changed"),
    "compare": ("cli.commands.compare:command", "what differs between two revisions, and what it changes on the logs"),
    "paths": ("cli.commands.paths:command", "where Whorlograph keeps its files"),
    "completion": ("cli.commands.completion:command", "completion for a shell"),
    "man": ("cli.commands.man:command", "the manual page"),
}

"""Programs in the XML exchange format of IEC 61131-10, both namespaces in use."""

from __future__ import annotations

from pathlib import Path

from lxml import etree

from whorlograph.formats.text.assigned import assigned_names
from whorlograph.formats.text.unreadable import Unreadable
from whorlograph.model.errors import ProgramError
from whorlograph.model.modifiers import is_true
from whorlograph.model.place import Loaded, Notice, Place
from whorlograph.model.program import (
    Body,
    Configuration,
    Located,
    OpaqueBody,
    Pou,
    PouKind,
    Program,
    ProgramInstance,
    Resource,
    Task,
    Variable,
    VariableKind,
)
from whorlograph.model.registry import resolve
from whorlograph.model.shown import visible
from whorlograph.model.text import TextBody
from whorlograph.model.types import ELEMENTARY, Initial, Named, TypeRef

from .several_bodies import NOT_EXECUTED, opaque
from .xml_constants import put_numbers
from .xml_ladder import read_ladder
from .xml_types import is_retained, line_of, local, priority_of, read_initial, read_type, stands_alike, words
from .xml_unread import Unread

NAMESPACES = ("http://www.plcopen.org/xml/tc6_0200", "http://www.plcopen.org/xml/tc6_0201", "http://www.plcopen.org/xml/tc6.xsd")

ROOT = "Project"  # of the form that IEC 61131-10 itself lays down
_SECTIONS = {"inputVars": VariableKind.INPUT, "outputVars": VariableKind.OUTPUT, "inOutVars": VariableKind.IN_OUT,
             "localVars": VariableKind.LOCAL, "tempVars": VariableKind.TEMP, "externalVars": VariableKind.EXTERNAL,
             "globalVars": VariableKind.GLOBAL}
_KINDS = {"program": PouKind.PROGRAM, "functionblock": PouKind.FUNCTION_BLOCK, "function": PouKind.FUNCTION}
_LANGUAGES = ("LD", "FBD", "ST", "IL", "SFC")
_QUIET = {"documentation", "addData", "interface", "body"}


class _Reader:
    """Walks the document and collects what it had to set aside."""

    def __init__(self, file: str, data: bytes = b"") -> None:
        self.file, self.data = file, data
        self.notices: list[Notice] = []
        self.unread = Unread()

    def say(self, element: etree._Element | None, what: str, effect: str = "", pou: str = "") -> None:
        line = line_of(element) if element is not None else 0
        self.notices.append(Notice(Place(self.file, line, pou), what, effect))

    def variables(self, section: etree._Element, kind: VariableKind) -> list[Variable]:
        """The declarations of one section."""
        found = []
        self.unread.look(section, "section")
        for node in section:
            if local(node) != "variable":
                continue
            self.unread.look(node, "variable")
            name = node.get("name", "")
            if not name:
                self.say(node, "a variable without a name", "it is left out")
                continue
            type_: TypeRef = ELEMENTARY["BOOL"]
            initial, text = None, ""
            for child in node:
                part = local(child)
                if part == "type":
                    type_ = read_type(child, self.say)
                elif part == "initialValue":
                    initial = read_initial(child)
                elif part == "documentation":
                    text = words(child)
            found.append(Variable(name, type_, kind, node.get("address", "").strip(), initial,
                                  is_retained(section), is_true(section.get("constant")), text,
                                  line_of(node), group=section.get("name", "").strip()))
        return found

    def pou(self, node: etree._Element) -> Pou | None:
        """One POU with interface and body."""
        name = node.get("name", "")
        kind = _KINDS.get(node.get("pouType", "").lower())
        if not name or kind is None:
            self.say(node, f"a POU of kind {node.get('pouType', '')!r}", "it is left out")
            return None
        variables: list[Variable] = []
        returns: TypeRef | None = None
        contents = [c for one in node if local(one) == "body" for c in one if local(c) in _LANGUAGES]
        body: Body | None = None
        text = ""
        for child in node:
            part = local(child)
            if part == "interface":
                for section in child:
                    if local(section) == "returnType":
                        returns = read_type(section, self.say)
                    elif local(section) in _SECTIONS:
                        variables += self.variables(section, _SECTIONS[local(section)])
                    elif local(section) not in _QUIET:
                        self.say(section, f"{local(section)} is not read", "its variables are unknown", name)
            elif part == "body" and len(contents) < 2 and (contents[0].getparent() is child if contents else body is None):
                body, more = self.body(child, name, tuple(variables), [c for c in node if local(c) in ("actions", "transitions")])
                variables += more
            elif part == "documentation":
                text = words(child)
        self.unread.look(node, "pou")
        if len(contents) > 1:
            self.say(contents[1], f"the POU has {len(contents)} bodies", NOT_EXECUTED, name)
            body = opaque((one, local(one)) for one in contents)
        elif body is None:
            self.say(node, "the POU has no body", "it does nothing", name)
            body = OpaqueBody("none", "")
        return Pou(name, kind, tuple(variables), body, returns, text, Place(self.file, line_of(node), name))

    def body(self, node: etree._Element, pou: str, variables: tuple[Variable, ...],
             beside: list[etree._Element]) -> tuple[Body, tuple[Variable, ...]]:
        """A body in a language that is executed, or an opaque one; and the variables that a chart is made of."""
        child = next((c for c in node if local(c) in _LANGUAGES), None)
        if child is None or local(child) != "SFC":
            self._say_left(beside, pou)
        if child is None:
            self.say(node, "the body is in no language of the standard", "opaque: what it alone writes comes from the log", pou)
            return OpaqueBody("unknown", "".join(str(t) for t in node.itertext())), ()
        self.unread.look(node, "body")
        language = local(child)
        if language in ("LD", "FBD"):
            return read_ladder(child, pou, self.say), ()
        text = "".join(str(t) for t in child.itertext())
        return self.chart(child, beside, text, pou, variables) if language == "SFC" else (self.text(child, text, pou, language), ())

    def _say_left(self, beside: list[etree._Element], pou: str) -> None:
        """Actions and transitions belong to charts (IEC 61131-3:2013, 6.7)."""
        for group in beside:
            for one in group:
                if local(one) not in _QUIET:
                    self.say(one, f"{local(one)} {one.get('name', '')} belongs to no chart", "it is not executed", pou)

    def chart(self, node: etree._Element, beside: list[etree._Element], text: str, pou: str,
              variables: tuple[Variable, ...]) -> tuple[Body, tuple[Variable, ...]]:
        """A sequential chart with its variables; opaque where something in it cannot be read."""
        try:
            chart = resolve("formats.programs.xml_chart:ChartReader")(node, beside, pou, self.say).read()
            body, more = resolve("formats.text.chart:chart_body")(chart, variables)
            return body, more
        except Unreadable as error:
            place = Place(self.file, error.line or line_of(node), pou)
            self.notices.append(Notice(place, error.what, "its chart is not executed: what it alone writes comes from the log"))
            return OpaqueBody("SFC", text, assigned_names(text, "SFC")), ()

    def text(self, node: etree._Element, text: str, pou: str, language: str) -> Body:
        """A body in a text language; opaque where it cannot be read."""
        first = max(1, line_of(node))  # its text begins behind the tag, with the blanks before what stands in it
        try:
            made: TextBody = resolve("formats.text.body:text_body")(text, first, language)
            return made
        except Unreadable as error:
            self.notices += error.notices(self.file, pou, "its body is not executed: what it alone writes comes from the log",
                                          lambda one: stands_alike(self.data, text, first, one.line, one.column))
            return OpaqueBody(language, text, assigned_names(text, language))

    def resource(self, node: etree._Element) -> Resource:
        """A resource with its tasks, instances and variables."""
        tasks, instances, variables = [], [], []
        for child in node.iter():
            part = local(child)
            if part in ("resource", "task", "pouInstance"):
                self.unread.look(child, part)
            if part == "task":
                tasks.append(Task(child.get("name", ""), priority_of(child, self.say), child.get("interval", "").strip(),
                                  child.get("single", "").strip()))
            elif part == "pouInstance":
                above = child.getparent()
                task = above.get("name", "") if above is not None and local(above) == "task" else ""
                instances.append(ProgramInstance(child.get("name", ""), child.get("typeName", child.get("type", "")), task))
            elif part == "globalVars":
                variables += self.variables(child, VariableKind.GLOBAL)
        return Resource(node.get("name", ""), tuple(instances), tuple(tasks), tuple(variables))

    def program(self, root: etree._Element, path: Path) -> Program:
        """The whole project."""
        types: dict[str, TypeRef] = {}
        defaults: dict[str, Initial] = {}
        pous: dict[str, Pou] = {}
        configurations = []
        header = {"companyName": "", "productVersion": "", "creationDateTime": ""}
        name = path.stem
        for node in root:
            part = local(node)
            if part == "fileHeader":
                header.update({k: node.get(k, "") for k in header})
            elif part == "contentHeader":
                name = node.get("name") or name
                header["creationDateTime"] = node.get("modificationDateTime") or header["creationDateTime"]
            elif part == "types":
                self._types(node, types, defaults, pous)
            elif part == "instances":
                self.unread.look(node, part)
                self.unread.look_at((c for c in node if local(c) == "configurations"), "configurations")
                configurations += [self._configuration(c) for group in node for c in group if local(c) == "configuration"]
            elif part and part not in _QUIET:
                self.say(node, f"{part} is not read")
        self._undeclared(types, pous)
        self.unread.say(self.say)
        return Program(name, types, pous, tuple(configurations), str(path), header["creationDateTime"],
                       header["companyName"], header["productVersion"], defaults)

    def _types(self, node: etree._Element, types: dict[str, TypeRef], defaults: dict[str, Initial], pous: dict[str, Pou]) -> None:
        self.unread.look(node, "types")
        for group in node:
            self.unread.look(group, local(group))
            for item in group:
                if local(item) == "dataType":
                    self.unread.look(item, "dataType")
                    base = next((c for c in item if local(c) == "baseType"), None)
                    if base is not None:
                        types[item.get("name", "").lower()] = read_type(base, self.say)
                    start = next((read_initial(c) for c in item if local(c) == "initialValue"), None)
                    if start is not None:
                        defaults[item.get("name", "").lower()] = start
                elif local(item) == "pou":
                    pou = self.pou(item)
                    if pou is None:
                        continue
                    if pou.name.lower() in pous:
                        self.say(item, f"two POUs are called {pou.name}", "the first counts")
                    pous.setdefault(pou.name.lower(), pou)

    def _configuration(self, node: etree._Element) -> Configuration:
        self.unread.look(node, "configuration")
        resources = tuple(self.resource(c) for c in node if local(c) == "resource")
        variables = [v for c in node if local(c) == "globalVars" for v in self.variables(c, VariableKind.GLOBAL)]
        located = tuple(self._located(v) for c in node if local(c) == "configVars" for v in c if local(v) == "configVariable")
        return Configuration(node.get("name", ""), resources, tuple(variables), located)

    @staticmethod
    def _located(node: etree._Element) -> Located:
        given = next((read_initial(c) for c in node if local(c) == "initialValue"), None)
        return Located(node.get("instancePathAndName", "").strip(), node.get("address", "").strip(), given, line_of(node))

    def _undeclared(self, types: dict[str, TypeRef], pous: dict[str, Pou]) -> None:
        for name, type_ in types.items():
            seen = {name}
            while isinstance(type_, Named):
                if type_.name.lower() in seen:
                    self.say(None, f"type {name} is defined by itself", "its variables are left out")
                    break
                seen.add(type_.name.lower())
                following = types.get(type_.name.lower())
                if following is None:
                    break
                type_ = following


def read(data: bytes, path: Path) -> Loaded[Program]:
    """Read a project of the exchange format. External entities and the network stay untouched.

    Raises: ProgramError where it is not well-formed, or no project of the format.
    Source: IEC 61131-10; DESIGN section 6.
    """
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=True, remove_pis=True,
                             remove_comments=True)
    try:
        root = etree.fromstring(data, parser)
    except (etree.XMLSyntaxError, ValueError) as error:
        line = getattr(error, "lineno", 0) or 0
        text = str(error).split(", line")[0]
        raise ProgramError(f"{path}:{line}" if line else str(path), f"not well-formed XML ({text})",
                           "export the program again, the file may be cut off") from error
    space = etree.QName(root).namespace
    if local(root) != ROOT and (local(root) != "project" or space not in NAMESPACES):
        raise ProgramError(f"{path}:{root.sourceline}", f"the document is {local(root)!r} of namespace {space or 'none'}, not a project of the XML "
                           f"exchange format (root 'project' of {NAMESPACES[1]}, or root {ROOT!r} of IEC 61131-10)", "export the program as XML")
    if not data.isascii() or b"&#" in data:
        _make_visible(root)
    effect = "export with numbers, or declare it constant; it counts as 0"
    unknown = [Notice(Place(str(path), line_of(node)), f"a bound ({name}) is the name of no constant", effect)
               for node, name in put_numbers(root, data)]
    if local(root) == ROOT:
        loaded: Loaded[Program] = resolve("formats.programs.iec10:read_project")(root, path, data)
    else:
        reader = _Reader(str(path), data)
        loaded = Loaded(reader.program(root, path), reader.notices)
    program = loaded.value
    if not program.pous:
        raise ProgramError(str(path), "the project holds no POU", "export the whole project")
    return Loaded(program, [*loaded.notices, *unknown])


def _make_visible(root: etree._Element) -> None:
    """Names and texts as they may be shown; lines of bodies and comments stay lines."""
    for node in root.iter(etree.Element):
        for name, value in node.attrib.items():
            shown = visible(str(value))
            if shown != value:
                node.set(name, shown)
        if node.text and not node.text.isascii():
            node.text = "\n".join("\t".join(map(visible, line.split("\t"))) for line in node.text.split("\n"))

"""Makes reference EXI vectors with the public reference codec, for `tests/fixtures/exi/`.

Run in a throw-away environment that holds the packages named in README.md beside this file, and a Java runtime:

    python make_vectors.py GRAMMAR_FOLDER OUTPUT_FOLDER

For every message of every protocol it draws documents from the grammar data (only what is required; everything; four at
random, with extreme values among them), writes each as XML, and lets the reference codec (EXIficient, in the Java archive
of the package `iso15118`, with that package's settings) encode it. Each line holds the document and the reference's bytes.
"""

import json
import random
import sys
from pathlib import Path
from xml.sax.saxutils import escape, quoteattr

from iso15118.shared.settings import JAR_FILE_PATH
from py4j.java_gateway import JavaGateway

GENERATED = {
    "sap": "CommonAppProtocol",
    "din": "DINSpec_70121",
    "iso2": "ISO15118_2Grammar",
    "iso20": "ISO15118_20_V2G_CI_CommonMessages",
    "iso20_dc": "ISO15118_20_V2G_CI_DC",
    "iso20_ac": "ISO15118_20_V2G_CI_AC",
    "iso20_wpt": "ISO15118_20_V2G_CI_WPT",
    "iso20_acdp": "ISO15118_20_V2G_CI_ACDP",
}
VARIANTS = ("least", "most", "random 1", "random 2", "random 3", "empty")
EMPTY = (1, 0)


class Reference:
    def __init__(self) -> None:
        self.gateway = JavaGateway.launch_gateway(
            classpath=JAR_FILE_PATH, die_on_exit=True, javaopts=["--add-opens", "java.base/java.lang=ALL-UNNAMED"]
        )
        self.jvm = self.gateway.jvm
        self.factories = {}

    def factory(self, key: str):
        if key not in self.factories:
            factory = self.jvm.com.siemens.ct.exi.core.helpers.DefaultEXIFactory.newInstance()
            factory.setValueMaxLength(0)
            factory.setValuePartitionCapacity(0)
            factory.setGrammars(getattr(self.jvm.com.siemens.ct.exi.main.generatedgrammar, GENERATED[key])())
            self.factories[key] = factory
        return self.factories[key]

    def encode(self, key: str, xml: str) -> bytes:
        result = self.jvm.com.siemens.ct.exi.main.api.sax.EXIResult(self.factory(key))
        out = self.jvm.java.io.ByteArrayOutputStream()
        result.setOutputStream(out)
        reader = self.jvm.org.xml.sax.helpers.XMLReaderFactory.createXMLReader()
        reader.setContentHandler(result.getHandler())
        reader.parse(self.jvm.org.xml.sax.InputSource(self.jvm.java.io.StringReader(xml)))
        return bytes(out.toByteArray())


class Drawing:
    """Draws one document. `variant`: least, most or random."""

    def __init__(self, data: dict, variant: str, dice: random.Random) -> None:
        self.data, self.variant, self.dice = data, variant, dice
        # An empty text is no event in XML: the reference then ends the element where the schema wants a value.
        self.empty = variant == "empty"

    def some(self, low: int, high: int) -> int:
        top = low + 2 if high < 0 else min(high, max(low, 3))
        return {"least": low, "most": max(top, 1)}.get(self.variant, self.dice.randint(low, top))

    def value(self, kind: list):
        dice = self.dice
        ends = {"least": 0, "most": -1}.get(self.variant)
        match kind[0]:
            case "bool":
                return dice.random() < 0.5
            case "bits":
                low, high = kind[1], kind[1] + (1 << kind[2]) - 1
                high = {
                    (-3, 4): 3,
                    (1, 32): 20,
                    (0, 127): 100,
                    (1, 64): 30,
                    (1, 256): 255,
                    (1, 4): 3,
                    (12, 1035): 1024,
                    (0, 1023): 1023,
                }.get((low, high), high)
                return (low, high)[ends] if ends is not None else dice.randint(low, high)
            case "uint":
                return (
                    (0, 2**31)[ends] if ends is not None else dice.choice((0, 1, 127, 128, 16383, 16384, 2**20, 2**31))
                )
            case "int":
                return (-32768, 32767)[ends] if ends is not None else dice.choice((0, -1, -128, 127, -129, 400, 3999))
            case "enum":
                return kind[1][ends] if ends is not None else dice.choice(kind[1])
            case "hex" | "base64":
                return (
                    dice.randbytes((1, 20)[ends] if ends is not None else dice.choice((EMPTY[self.empty], 6, 8, 200)))
                    .hex()
                    .upper()
                )
            case "string":
                return (
                    ("x", "twice the same, twice the same")[ends]
                    if ends is not None
                    else dice.choice(TEXTS[1 - self.empty :])
                )
        raise AssertionError(kind)

    def element(self, name: str, uri: int, number: int) -> tuple[str, object]:
        """Its XML and its content."""
        kind = self.data["types"][number]
        tag = f'<{name} xmlns="{self.data["uris"][uri]}"' if uri >= 0 else f'<{name} xmlns=""'
        tree: dict = {}
        for attribute, place, value_kind, required in kind.get("attributes", []):
            if required or self.some(0, 1):
                tree[attribute] = self.value(value_kind)
                if place >= 0:
                    tag += f' xmlns:a="{self.data["uris"][place]}"'
                tag += f" {'a:' * (place >= 0)}{attribute}={quoteattr(text(tree[attribute]))}"
        if "value" in kind:
            value = self.value(kind["value"])
            xml = f"{tag}>{escape(text(value, kind['value']))}</{name}>"
            return xml, {**tree, "value": value} if kind.get("attributes") else value
        body = []
        if "content" in kind:
            self.particle(kind["content"], tree, body, False)
        return f"{tag}>{''.join(body)}</{name}>", tree

    def particle(self, particle: list, tree: dict, body: list, repeats: bool) -> None:
        kind, what = particle[:2]
        low, high = (particle[4:] if kind == "el" else particle[2:]) or (1, 1)
        repeats = repeats or high not in (0, 1)
        for _ in range(self.some(low, high)):
            if kind == "el":
                xml, content = self.element(what, *particle[2:4])
                body.append(xml)
                if repeats:
                    tree.setdefault(what, []).append(content)
                else:
                    tree[what] = content
            elif kind == "seq":
                for part in what:
                    self.particle(part, tree, body, repeats)
            elif kind == "alt":
                parts = [p for p in what if p[0] != "any"]
                if repeats:
                    parts = parts[:1]  # a document as a mapping keeps no order among repeated alternatives
                self.particle(
                    parts[{"least": 0, "most": -1}.get(self.variant, self.dice.randrange(len(parts)))],
                    tree,
                    body,
                    repeats,
                )


TEXTS = ("", "a", "a", "DE*ABC*E123456*1", "Æbleø, 4 kW µΩ", "\U0001f50c", "x" * 130, "x" * 130)


def text(value, kind=("string",)) -> str:
    if isinstance(value, bool):
        return str(value).lower()
    if kind[0] == "base64":
        import base64

        return base64.b64encode(bytes.fromhex(value)).decode()
    return str(value)


def documents(key: str, data: dict):
    """Every message in every variant: (variant, root, message, xml, content)."""
    roots = {name: (uri, number) for name, uri, number in data["globals"]}
    if "V2G_Message" not in roots:
        for name in [n for n in roots if n.endswith(("Req", "Res"))]:
            for variant in VARIANTS:
                drawing = Drawing(data, variant.split()[0], random.Random(f"{name} {variant}"))
                yield variant, name, name, *drawing.element(name, *roots[name])
        return
    uri, number = roots["V2G_Message"]
    (_, parts) = data["types"][number]["content"][:2]
    header, body = parts
    messages = data["types"][body[3]]["content"][1][0][1]
    for message in messages:
        for variant in VARIANTS:
            dice = random.Random(f"{key} {message[1]} {variant}")
            drawing = Drawing(data, variant.split()[0], dice)
            inner_xml, inner = drawing.element(*message[1:4])
            head = Drawing(data, "least" if variant in ("least", "random 1") else variant.split()[0], dice)
            head_xml, head_tree = head.element(*header[1:4])
            body_xml = f'<Body xmlns="{data["uris"][body[2]]}">{inner_xml}</Body>'
            xml = f'<V2G_Message xmlns="{data["uris"][uri]}">{head_xml}{body_xml}</V2G_Message>'
            yield variant, "V2G_Message", message[1], xml, {"Header": head_tree, "Body": {message[1]: inner}}


def main(grammars: Path, output: Path) -> None:
    reference = Reference()
    for key in GENERATED:
        data = json.loads((grammars / f"{key}.json").read_text())
        with (output / f"{key}.jsonl").open("w") as out:
            for variant, root, message, xml, tree in documents(key, data):
                try:
                    exi = reference.encode(key, xml)
                except Exception as error:
                    print(key, message, variant, str(error).splitlines()[:2], xml[:300], file=sys.stderr)
                    continue
                row = {"message": message, "variant": variant, "exi": exi.hex(), "root": root, "content": tree}
                out.write(json.dumps(row, ensure_ascii=False, separators=(",", ":")) + "\n")
    reference.gateway.shutdown()


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]))

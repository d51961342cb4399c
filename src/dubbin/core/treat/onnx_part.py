"""Takes a part out of an ONNX model: from some of its tensors to others, any number of stretches and frames.

A network that was exported to look at one whole stretch can so be fed block by block: what it would set to zero at the begin, padding and the state of
recurrent layers, becomes an input. An ONNX file is a Protocol Buffers message (https://protobuf.dev/programming-guides/encoding/; field numbers
from onnx.proto, IR version 8); it is read here as fields and bytes, and its weights stay as they are.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

VARINT, FIXED_64, BYTES, FIXED_32 = 0, 1, 2, 5
MODEL_GRAPH = 7
GRAPH_NODE, GRAPH_INPUT, GRAPH_OUTPUT, GRAPH_SHAPES = 1, 11, 12, 13
NODE_INPUT, NODE_OUTPUT = 1, 2
VALUE_NAME, VALUE_TYPE, TYPE_TENSOR, TENSOR_ELEMENT, FLOAT = 1, 2, 1, 1, 1


def part_of(model: bytes, inputs: Sequence[str], outputs: Sequence[str]) -> bytes:
    """The model of all that lies between tensors of real numbers: `inputs` go in, `outputs` come out, both of any shape.

    Raises ValueError: this is no ONNX model, or it makes no such outputs.
    """
    return b"".join(
        _field(MODEL_GRAPH, _part_of_graph(content, inputs, outputs)) if number == MODEL_GRAPH else whole
        for number, whole, content in _fields(model)
    )


def _part_of_graph(graph: bytes, inputs: Sequence[str], outputs: Sequence[str]) -> bytes:
    nodes = [(whole, _names(content, NODE_INPUT), _names(content, NODE_OUTPUT)) for n, whole, content in _fields(graph) if n == GRAPH_NODE]
    wanted, kept = set(outputs), list[bytes]()
    for whole, takes, makes in reversed(nodes):  # a node comes after those that it takes from
        if wanted & set(makes) - set(inputs):
            kept.append(whole)
            wanted.update(takes)
    made = {name for _, _, makes in nodes for name in makes}
    if missing := set(outputs) - made - set(inputs):
        raise ValueError(f"The ONNX model makes no {', '.join(sorted(missing))}.")
    replaced = (GRAPH_NODE, GRAPH_INPUT, GRAPH_OUTPUT, GRAPH_SHAPES)
    rest = [whole for number, whole, _ in _fields(graph) if number not in replaced]
    values = [_field(GRAPH_INPUT, _value(name)) for name in inputs] + [_field(GRAPH_OUTPUT, _value(name)) for name in outputs]
    return b"".join([*reversed(kept), *rest, *values])


def _value(name: str) -> bytes:
    """A tensor of 32 bit real numbers, of any shape."""
    tensor = _to_varint(TENSOR_ELEMENT << 3 | VARINT) + _to_varint(FLOAT)
    return _field(VALUE_NAME, name.encode()) + _field(VALUE_TYPE, _field(TYPE_TENSOR, tensor))


def _names(node: bytes, field: int) -> list[str]:
    return [content.decode() for number, _, content in _fields(node) if number == field]


def _fields(message: bytes) -> Iterator[tuple[int, bytes, bytes]]:
    """(number, the field with its head, its content) of every field."""
    at = 0
    while at < len(message):
        begin = at
        head, at = _varint(message, at)
        kind = head & 7
        if kind == BYTES:
            length, at = _varint(message, at)
            end = at + length
        elif kind == VARINT:
            _, end = _varint(message, at)
        elif kind in (FIXED_64, FIXED_32):
            end = at + (8 if kind == FIXED_64 else 4)
        else:
            raise ValueError("This is no ONNX model.")
        if end > len(message):
            raise ValueError("The ONNX model is cut off.")
        yield head >> 3, message[begin:end], message[at:end]
        at = end


def _field(number: int, content: bytes) -> bytes:
    return _to_varint(number << 3 | BYTES) + _to_varint(len(content)) + content


def _varint(data: bytes, at: int) -> tuple[int, int]:
    value = shift = 0
    while True:
        if at >= len(data) or shift > 63:
            raise ValueError("This is no ONNX model.")
        byte = data[at]
        value |= (byte & 127) << shift
        at, shift = at + 1, shift + 7
        if byte < 128:
            return value, at


def _to_varint(value: int) -> bytes:
    out = bytearray()
    while value > 127:
        out.append(value & 127 | 128)
        value >>= 7
    return bytes((*out, value))

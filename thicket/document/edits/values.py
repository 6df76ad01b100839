"""Arrays and bytes in an edit: short ones stand in its JSON, long ones lie beside it in files named by their
digests.

Reading and writing go through pydantic's context: `{"arrays": {digest: array}}`, which is read from or
filled."""

from __future__ import annotations

import base64
import binascii
from typing import Annotated, Any

import numpy as np
from pydantic import PlainSerializer, PlainValidator, SerializationInfo, ValidationInfo, WithJsonSchema

from thicket.hashing import digest_of

SHORT = 1024
"""An array of at most so many values, or so many bytes, stands in the JSON itself."""
TYPES = ("int16", "uint8", "uint16", "int32", "float32")
_REFERENCE = {
    "type": "object",
    "properties": {"digest": {"type": "string", "description": "names the array's file, DIGEST.npy"}},
    "required": ["digest"],
}


def _stored(digest: Any, info: ValidationInfo) -> np.ndarray:
    arrays = (info.context or {}).get("arrays", {})
    if not isinstance(digest, str) or digest not in arrays:
        raise ValueError(f"there is no array {str(digest)[:60]!r} beside it")
    return arrays[digest]


def _to_array(given: Any, info: ValidationInfo) -> np.ndarray:
    if isinstance(given, np.ndarray):
        return given
    if not isinstance(given, dict):
        raise ValueError("an array is given as its values, or by its digest")
    if "digest" in given:
        return _stored(given["digest"], info)
    if given.get("type") not in TYPES:
        raise ValueError(f"type: an array's values are of {', '.join(TYPES)}")
    try:
        return np.array(given.get("values"), given["type"])
    except (ValueError, TypeError, OverflowError):
        raise ValueError(f"values: they are not an array of {given['type']}") from None


def _reference(array: np.ndarray, info: SerializationInfo) -> dict[str, Any]:
    digest = digest_of(np.ascontiguousarray(array))
    arrays = (info.context or {}).get("arrays")
    if arrays is None:
        raise ValueError("a long array is written beside the edit: give the context a place for it")
    arrays[digest] = array
    return {"digest": digest}


def _from_array(array: np.ndarray, info: SerializationInfo) -> dict[str, Any]:
    if array.size <= SHORT:
        return {"type": str(array.dtype), "values": array.tolist()}
    return _reference(array, info)


def _to_bytes(given: Any, info: ValidationInfo) -> bytes:
    if isinstance(given, bytes):
        return given
    if isinstance(given, dict) and "digest" in given:
        return _stored(given["digest"], info).astype(np.uint8).tobytes()
    if not isinstance(given, dict) or not isinstance(given.get("base64"), str):
        raise ValueError("bytes are given in base64, or by their digest")
    try:
        return base64.b64decode(given["base64"], validate=True)
    except binascii.Error:
        raise ValueError("base64: it cannot be decoded") from None


def _from_bytes(data: bytes, info: SerializationInfo) -> dict[str, Any]:
    if len(data) <= SHORT:
        return {"base64": base64.b64encode(data).decode()}
    return _reference(np.frombuffer(data, np.uint8), info)


Array = Annotated[
    np.ndarray,
    PlainValidator(_to_array),
    PlainSerializer(_from_array),
    WithJsonSchema(
        {
            "anyOf": [
                {
                    "type": "object",
                    "properties": {"type": {"enum": list(TYPES)}, "values": {"type": "array"}},
                    "required": ["type", "values"],
                },
                _REFERENCE,
            ]
        }
    ),
]
"""An array of numbers."""
Blob = Annotated[
    bytes,
    PlainValidator(_to_bytes),
    PlainSerializer(_from_bytes),
    WithJsonSchema(
        {
            "anyOf": [
                {"type": "object", "properties": {"base64": {"type": "string"}}, "required": ["base64"]},
                _REFERENCE,
            ]
        }
    ),
]
"""Bytes of a file: a mesh or a picture."""

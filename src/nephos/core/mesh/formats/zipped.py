"""A mesh in a zip archive."""

from dataclasses import replace
from pathlib import PurePosixPath

from nephos.core.errors import Refused
from nephos.core.mesh.formats.registry import Format, formats
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.reader_process import Unusable, check_archive, unpacked


def _read(data: bytes) -> Mesh:
    try:
        archive = check_archive(data)
        # What one desktop system adds beside each file is no mesh, though it has its name.
        files = [
            item
            for item in archive.infolist()
            if not item.is_dir() and not PurePosixPath(item.filename).name.startswith("._")
        ]
        known = {suffix for suffix in formats() if suffix != ".zip"}
        meshes = [item for item in files if PurePosixPath(item.filename).suffix.lower() in known]
        # A picture beside a mesh is how it looks, not a relief.
        solid = [
            item for item in meshes if PurePosixPath(item.filename).suffix.lower() not in {".png", ".tif", ".tiff"}
        ] or meshes
        if not solid:
            raise Refused("there is no mesh in this archive: pack one of " + ", ".join(sorted(known)))
        chosen = max(solid, key=lambda item: item.file_size)
        content = unpacked(archive, chosen)
    except Unusable as reason:
        raise Refused(str(reason)) from None
    except Refused:
        raise
    except MemoryError:
        raise
    except Exception as reason:
        # The libraries for packings raise all kinds of errors at damaged bytes.
        raise Refused(
            f"the archive cannot be unpacked ({str(reason)[:120] or type(reason).__name__}): it is damaged, or packed "
            "in a path "
            "that is not known; pack it again as an ordinary zip"
        ) from None
    name = PurePosixPath(chosen.filename).name
    mesh = formats()[PurePosixPath(name).suffix.lower()].read(content)
    said = [f"from the archive, {name} was read"]
    if len(solid) > 1:
        said.append(f"the archive holds {len(solid)} meshes and the largest was taken: unpack it to import the others")
    return replace(mesh, format=f"{mesh.format}, zipped", repairs=(*said, *mesh.repairs))


FORMAT = Format("zip", (".zip",), _read)

"""Writing by a library."""

from nephos.core.mesh.model import Mesh


def exported(mesh: Mesh, kind: str) -> bytes:
    """The bytes of a mesh in millimetres in the library's format `kind`."""
    import trimesh

    solid = trimesh.Trimesh(mesh.vertices, mesh.faces, process=False)
    solid.units = "millimeter"
    data = solid.export(file_type=kind)
    return data if isinstance(data, bytes) else str(data).encode()

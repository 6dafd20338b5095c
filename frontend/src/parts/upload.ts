/** Importing a mesh: the file is sent with progress, then a worker reads it. */
import { useRef, useState } from "react";
import { answered, api, sendFile } from "../api/client";
import { isLive, nextEvent } from "../api/events";
import { waitingText } from "../workspace/state";
import type { MeshFacts, MeshState } from "../api/types";

export type ReadMesh = Omit<MeshState, "facts"> & { digest: string; facts: MeshFacts };

export function useUpload() {
  const [state, setState] = useState("");
  const [share, setShare] = useState(0);
  const [problem, setProblem] = useState("");
  const stop = useRef<AbortController | null>(null);
  const bring = async (file: File): Promise<ReadMesh | null> => {
    setProblem("");
    stop.current = new AbortController();
    try {
      let mesh = await sendFile<ReadMesh>(
        "/meshes",
        file,
        (sent) => {
          setShare(sent);
          setState(`sending ${file.name} · ${Math.round(100 * sent)} %`);
        },
        stop.current.signal,
      );
      while (mesh.state === "reading") {
        setState(mesh.ahead > 0 ? `${file.name}: ${waitingText(mesh.ahead)}` : `reading ${file.name}…`);
        await nextEvent("mesh", isLive() ? 2000 : 250);
        stop.current.signal.throwIfAborted();
        mesh = (await answered(
          api.GET("/api/meshes/{mesh_id}", { params: { path: { mesh_id: mesh.id } } }),
        )) as ReadMesh;
      }
      if (mesh.state === "refused") throw new Error(mesh.reason);
      return mesh;
    } catch (reason) {
      setProblem(
        reason instanceof DOMException
          ? "importing the mesh was cancelled"
          : `${file.name}: ${(reason as Error).message}`,
      );
      return null;
    } finally {
      setState("");
      setShare(0);
    }
  };
  /** A job file becomes a job at once; its meshes are read after that. */
  const bringJob = async (file: File): Promise<{ id: number } | null> => {
    setProblem("");
    stop.current = new AbortController();
    try {
      return await sendFile<{ id: number }>(
        "/jobs/file",
        file,
        (sent) => {
          setShare(sent);
          setState(`sending ${file.name} · ${Math.round(100 * sent)} %`);
        },
        stop.current.signal,
      );
    } catch (reason) {
      setProblem(`${file.name}: ${(reason as Error).message}`);
      return null;
    } finally {
      setState("");
      setShare(0);
    }
  };
  return { bring, bringJob, state, share, problem, cancel: () => stop.current?.abort() };
}

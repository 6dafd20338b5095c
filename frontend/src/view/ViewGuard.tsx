/** Keeps the rest of the page when the 3D view stops, such as when its graphics context is lost. */
import { Component, useCallback, useState, type ReactNode } from "react";
import styled from "styled-components";
import { Button } from "../parts/controls";

const Notice = styled.div`
  height: 100%;
  display: grid;
  place-content: center;
  justify-items: center;
  gap: 10px;
  padding: 0 24px;
  text-align: center;
`;

class Boundary extends Component<{ onError: (reason: string) => void; children: ReactNode }, { failed: boolean }> {
  state = { failed: false };

  static getDerivedStateFromError() {
    return { failed: true };
  }

  componentDidCatch(error: unknown) {
    this.props.onError(error instanceof Error ? error.message : String(error));
  }

  render() {
    return this.state.failed ? null : this.props.children;
  }
}

/** Draws the view; `watch` is given its canvas. Where the view stops it says so, and can be shown again. */
export function ViewGuard(props: { children: (watch: (canvas: HTMLCanvasElement) => void) => ReactNode }) {
  const [reason, setReason] = useState(""),
    [turn, setTurn] = useState(0);
  const watch = useCallback((canvas: HTMLCanvasElement) => {
    canvas.addEventListener("webglcontextlost", () => {
      // A canvas that is taken away gives its context back too.
      if (canvas.isConnected) setReason("the graphics context was lost");
    });
  }, []);
  if (!reason)
    return (
      <Boundary key={turn} onError={setReason}>
        {props.children(watch)}
      </Boundary>
    );
  return (
    <Notice role="alert">
      <p>The 3D view stopped: {reason}. The job is not affected.</p>
      <Button
        $main
        onPress={() => {
          setReason("");
          setTurn(turn + 1);
        }}
      >
        Show the view again
      </Button>
    </Notice>
  );
}

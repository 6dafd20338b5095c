/** What is shown where a part of the page breaks off: what to do, and that nothing is lost. */
import { Component, type ReactNode } from "react";
import styled from "styled-components";
import { Button } from "./controls";

const Notice = styled.div`
  max-width: 460px;
  margin: 80px auto;
  padding: 16px 20px;
  display: grid;
  gap: 10px;
  justify-items: start;
  background: ${(p) => p.theme.panel};
  border: 1px solid ${(p) => p.theme.stop};
`;

export class Broken extends Component<{ children: ReactNode }, { reason: string }> {
  state = { reason: "" };

  static getDerivedStateFromError(error: unknown) {
    return { reason: error instanceof Error ? error.message : String(error) };
  }

  render() {
    if (!this.state.reason) return this.props.children;
    return (
      <Notice role="alert">
        <p>This page stopped by a fault of its own ({this.state.reason}). All changes are kept.</p>
        <Button $main onPress={() => window.location.reload()}>
          Reload the page
        </Button>
      </Notice>
    );
  }
}

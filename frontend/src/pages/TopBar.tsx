/** The bar over the pages that are no workspace. */
import type { ReactNode } from "react";
import { Link } from "react-aria-components";
import styled from "styled-components";
import { usePaper } from "../parts/paper";
import { Quiet, Segments } from "../parts/controls";
import { useUnit } from "./unit";
import { Brand } from "../workspace/Header";

const Bar = styled.header`
  height: 44px;
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 0 24px;
  background: ${(p) => p.theme.panel};
  border-bottom: 1px solid ${(p) => p.theme.hairline};
  & .gap {
    flex: 1;
  }
`;
const Tab = styled(Link)<{ $here: boolean }>`
  text-decoration: none;
  color: ${(p) => (p.$here ? p.theme.ink : p.theme.muted)};
  font-weight: ${(p) => (p.$here ? 600 : 400)};
  outline: none;
  &[data-focus-visible] {
    outline: 2px solid ${(p) => p.theme.action};
    outline-offset: 3px;
  }
`;

export function TopBar(props: {
  page: "jobs" | "cutters" | "shelf" | "machines" | "posts" | "help";
  children: ReactNode;
}) {
  const sheet = usePaper();
  const { unit, setUnit } = useUnit();
  return (
    <Bar>
      <Brand href="/">nephos</Brand>
      <Tab href="/" $here={props.page === "jobs"}>
        Jobs
      </Tab>
      <Tab href="/cutters" $here={props.page === "cutters"}>
        Cutters
      </Tab>
      <Tab href="/shelf" $here={props.page === "shelf"}>
        Shelf
      </Tab>
      <Tab href="/machines" $here={props.page === "machines"}>
        Machines
      </Tab>
      <Tab href="/posts" $here={props.page === "posts"}>
        Posts
      </Tab>
      <Tab href="/help" $here={props.page === "help"}>
        Help
      </Tab>
      <span className="gap" />
      {["cutters", "shelf", "machines"].includes(props.page) && (
        <Segments label="Unit" value={unit} choices={{ mm: "mm", in: "in" }} onChange={setUnit} />
      )}
      <Quiet aria-label={sheet.dark ? "Paper sheet" : "Dark sheet"} onPress={sheet.turn}>
        {sheet.dark ? "☀" : "☾"}
      </Quiet>
      {props.children}
    </Bar>
  );
}

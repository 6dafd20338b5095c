/** Deleted jobs, cutters, posts and machines, to be brought back. */
import { useState } from "react";
import styled from "styled-components";
import { type DeletedKind, useDeleted } from "../api/jobList";
import { dayText } from "../lib/times";
import { Ask, Button, Foot, Quiet, Said } from "./controls";

const List = styled.ul`
  margin: 0 0 10px;
  padding: 0;
  list-style: none;
  max-height: 50vh;
  overflow-y: auto;
  & li {
    display: flex;
    align-items: baseline;
    gap: 12px;
    padding: 5px 0;
    border-bottom: 1px solid ${(p) => p.theme.hairline};
  }
  & .name {
    flex: 1;
    min-width: 0;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  & .when {
    font: 11.5px ${(p) => p.theme.mono};
    color: ${(p) => p.theme.muted};
  }
`;
const WORDS: Record<DeletedKind, string> = { job: "jobs", cutter: "cutters", post: "posts", machine: "machines" };

function Listed(props: { kind: DeletedKind }) {
  const { data, error, bringBack } = useDeleted(props.kind);
  const problem = bringBack.error?.message ?? error?.message;
  if (!data && !problem) return <p>looking…</p>;
  return (
    <>
      <p>
        {data?.length
          ? "What was deleted can be brought back for 30 days."
          : `No deleted ${WORDS[props.kind]}. What is deleted can be brought back here for 30 days.`}
      </p>
      {problem && <Said role="alert">{problem}</Said>}
      <List>
        {data?.map((row) => (
          <li key={row.id}>
            <span className="name" title={row.name}>
              {row.name}
            </span>
            <span className="when">
              deleted {dayText(row.deleted)}, kept until {dayText(row.gone)}
            </span>
            <Quiet aria-label={`Bring back ${row.name}`} onPress={() => bringBack.mutate(row.id)}>
              Bring back
            </Quiet>
          </li>
        ))}
      </List>
    </>
  );
}

/** A button that opens the list of what was deleted. */
export function Deleted(props: { kind: DeletedKind }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Quiet onPress={() => setOpen(true)}>Deleted…</Quiet>
      <Ask title={`Deleted ${WORDS[props.kind]}`} open={open} onClose={() => setOpen(false)}>
        {open && <Listed kind={props.kind} />}
        <Foot>
          <Button $main onPress={() => setOpen(false)}>
            Close
          </Button>
        </Foot>
      </Ask>
    </>
  );
}

/** Where the time goes, and the actual times of runs, which correct it. */
import { useState } from "react";
import styled from "styled-components";
import { useTimes } from "../api/shop";
import { clock } from "../lib/numbers";
import { readDuration, realTime } from "../lib/times";
import { Ask, Button, Foot, Quiet, Said } from "../parts/controls";
import { WordField } from "../parts/fields";
import { infoOf, useSheetState } from "./state";

const Facts = styled.dl`
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 3px 24px;
  margin: 0;
  & dd {
    margin: 0;
    font: 12.5px ${(p) => p.theme.mono};
    text-align: right;
  }
  & .sum {
    font-weight: 600;
    border-top: 1px solid ${(p) => p.theme.hairline};
    padding-top: 3px;
  }
`;
const Entries = styled.ul`
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 180px;
  overflow-y: auto;
  & li {
    display: flex;
    justify-content: space-between;
    gap: 14px;
    border-bottom: 1px solid ${(p) => p.theme.hairline};
    padding: 3px 0;
    font: 12px ${(p) => p.theme.mono};
  }
`;

export function TimeDialog(props: { open: boolean; onClose: () => void }) {
  const { job, derived, setupId } = useSheetState();
  const [took, setTook] = useState("");
  const { times, enter, remove } = useTimes(job.machine.id, job.id, props.open);
  const time = infoOf(derived, setupId)?.time;
  if (!time) return null;
  const seconds = readDuration(took);
  const note = () =>
    seconds !== null &&
    enter.mutate({ job: job.name, calculated: time.total, real: seconds }, { onSuccess: () => setTook("") });
  return (
    <Ask title={`Time on the ${job.machine.name}`} open={props.open} onClose={props.onClose}>
      <Facts>
        <dt>moves</dt>
        <dd>{clock(time.moves)}</dd>
        <dt>changing cutters</dt>
        <dd>{clock(time.changes)}</dd>
        <dt>waiting for the spindle</dt>
        <dd>{clock(time.waits)}</dd>
        <dt className="sum">{time.calculated ? "calculated" : "estimated"}</dt>
        <dd className="sum">{clock(time.total)}</dd>
        {time.entries > 0 && (
          <>
            <dt>by {time.entries === 1 ? "one run" : `${time.entries} runs`} on this machine</dt>
            <dd>{realTime(time)}</dd>
          </>
        )}
      </Facts>
      {time.calculated ? (
        <div>
          <WordField label="Actual time (h:min)" value={took} onChange={setTook} optional />
          {took.trim() !== "" && seconds === null && <Said>give minutes (95) or hours and minutes (1:35)</Said>}
          <div style={{ display: "flex", justifyContent: "flex-end", marginTop: 6 }}>
            <Button $main isDisabled={seconds === null || enter.isPending} onPress={note}>
              Enter this run
            </Button>
          </div>
        </div>
      ) : (
        <p>
          When the job is calculated and was run, enter the actual time here. Times on this machine are then corrected
          by it.
        </p>
      )}
      {enter.error && <Said role="alert">{enter.error.message}</Said>}
      <Entries aria-label="Runs that were entered">
        {times.data?.entries.map((entry) => (
          <li key={entry.id}>
            <span>{entry.job}</span>
            <span>
              {clock(entry.calculated)} → {clock(entry.real)} · ×{(entry.real / entry.calculated).toFixed(2)}
            </span>
            <Quiet aria-label={`Take out the run of ${entry.job}`} onPress={() => remove.mutate(entry.id)}>
              ×
            </Quiet>
          </li>
        ))}
      </Entries>
      <Foot>
        <Button onPress={props.onClose}>Close</Button>
      </Foot>
    </Ask>
  );
}

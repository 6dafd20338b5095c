/** Calculates a job automatically once its changes have come to rest. */
import { useEffect, useRef } from "react";
import { isBusy } from "../api/hooks";
import type { Calculation, Finding, Job } from "../api/types";
import { isCurrent, withWork } from "./state";

/** How long (ms) nothing must change before it starts. */
const REST = 1500;

const stands = (finding: Finding) => finding.level === "stop" && !finding.overridden;

/** Whether a job could be worked out now and has not been: nor was it tried for this revision and given up. */
export function isWaiting(job: Job, calculation: Calculation | null | undefined): boolean {
  if (isBusy(calculation) || calculation?.revision === job.revision) return false;
  const able = !job.derived.setups.some((info) => info.operations.some((item) => item.state === "blocked"));
  return (
    able && withWork(job.plan).length > 0 && !isCurrent(job.plan, job.derived) && !job.derived.findings.some(stands)
  );
}

/** Starts a calculation once a job that is not up to date has come to rest, unless it is switched off. */
export function useBackground(
  job: Job | undefined,
  calculation: Calculation | null | undefined,
  on: boolean,
  start: () => void,
): void {
  const latest = useRef(start);
  useEffect(() => {
    latest.current = start;
  });
  // Until it is known whether it was tried already, nothing is started.
  const wanted = on && job !== undefined && calculation !== undefined && isWaiting(job, calculation);
  const version = job?.version;
  useEffect(() => {
    if (!wanted) return undefined;
    const timer = setTimeout(() => latest.current(), REST);
    return () => clearTimeout(timer);
  }, [wanted, version]);
}

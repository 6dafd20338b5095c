/** Calculates a job automatically once its changes have come to rest. */
import { useEffect, useRef } from "react";
import { isBusy } from "../api/jobs";
import type { Calculation, Finding, Job } from "../api/types";
import { isCurrent, withWork } from "./state";

/** How long (ms) nothing must change before it starts. */
const REST = 1500;

const stands = (finding: Finding) => finding.level === "stop" && !finding.overridden;

/** Whether the running calculation belongs to another revision. */
export const isUseless = (job: Job, calculation: Calculation | null | undefined): boolean =>
  isBusy(calculation) && calculation?.revision !== job.revision;

/** Whether a job could be worked out now and has not been: nor was it tried for this revision and given up. */
export function isWaiting(job: Job, calculation: Calculation | null | undefined): boolean {
  if (calculation?.revision === job.revision) return false;
  const able = !job.derived.setups.some((info) => info.operations.some((item) => item.state === "blocked"));
  return (
    able && withWork(job.plan).length > 0 && !isCurrent(job.plan, job.derived) && !job.derived.findings.some(stands)
  );
}

/**
 * Starts a calculation when an out-of-date job has not changed for a moment, if automatic calculation is on. A calculation
 * of another revision is always restarted, or stopped if the job cannot be calculated now.
 */
export function useBackground(
  job: Job | undefined,
  calculation: Calculation | null | undefined,
  on: boolean,
  start: () => void,
  stop: () => void,
): void {
  const latest = useRef({ start, stop });
  useEffect(() => {
    latest.current = { start, stop };
  });
  // Until it is known whether it was tried already, nothing is started.
  const known = job !== undefined && calculation !== undefined;
  const useless = known && isUseless(job, calculation);
  const wanted = known && (on || useless) && isWaiting(job, calculation);
  const version = job?.version;
  useEffect(() => {
    if (!wanted && !useless) return undefined;
    const timer = setTimeout(() => (wanted ? latest.current.start() : latest.current.stop()), REST);
    return () => clearTimeout(timer);
  }, [wanted, useless, version]);
}

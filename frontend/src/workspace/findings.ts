/** Which findings belong to which setup. */
import type { Derived, Finding, SetupInfo } from "../api/types";

/** The findings of one setup: of its proof, and of the settings of its operations. */
export function findingsOf(derived: Derived, info: SetupInfo): Finding[] {
  const rows = new Set(info.operations.flatMap((item) => [String(item.number), String(item.parent)]));
  return [...derived.findings.filter((finding) => rows.has(finding.row)), ...info.findings];
}

/** The findings of the job that belong to no operation: on stock, models, boundaries, the part as a whole. */
export function jobFindings(derived: Derived): Finding[] {
  const rows = new Set(derived.setups.flatMap((info) => info.operations.map((item) => String(item.number))));
  return derived.findings.filter((finding) => !rows.has(finding.row));
}

/** The findings that somebody must see before files are run: all but notes. */
export const toKnow = (findings: Finding[]): Finding[] => findings.filter((finding) => finding.level !== "note");

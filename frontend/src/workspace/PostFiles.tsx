/** Posting: which post, what prevents it, the files; and the check of an external program. */
import { ChooseFile } from "../parts/ChooseFile";
import { useState } from "react";
import styled from "styled-components";
import { checkFile, resultOf } from "../api/results";
import { usePosts } from "../api/shop";
import type { ExternalProgram, FileOrigin, Finding, FullPlan, Job, Post, Program, SetupInfo } from "../api/types";
import { clock, lengthText } from "../lib/numbers";
import { Ask, Button, Choose, Foot, Row, Said } from "../parts/controls";
import { WordField } from "../parts/fields";
import { Mark } from "../parts/Marks";
import { findingsOf, jobFindings, toKnow } from "./findings";
import { progressText, infoOf, setupOf, useSheetState, withWork } from "./state";
import { partsOf, partTitle } from "./tiles";

const Files = styled.ul`
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 6px;
  & li {
    display: flex;
    justify-content: space-between;
    gap: 16px;
    border-bottom: 1px solid ${(p) => p.theme.hairline};
    padding-bottom: 6px;
  }
  & a {
    font: 12px ${(p) => p.theme.mono};
    color: ${(p) => p.theme.action};
  }
`;
const Stop = styled.div`
  display: grid;
  gap: 6px;
  border-bottom: 1px solid ${(p) => p.theme.hairline};
  padding-bottom: 8px;
  & p {
    display: flex;
    gap: 7px;
    align-items: baseline;
  }
`;
const Facts = styled.dl`
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 3px 14px;
  margin: 0;
  & dt {
    color: ${(p) => p.theme.muted};
  }
  & dd {
    margin: 0;
    font: 12px ${(p) => p.theme.mono};
  }
`;

/** What the list of posts says of the one that a plan has: a shipped one by name, or one of its own. */
export const postId = (post: FullPlan["post"]): string =>
  typeof post === "string" ? post : (post?.id ?? "rs274-metric");

/** Cutters that have several files, as another one works between. */
export function usedAgain(programs: Pick<Program, "cutters">[]): string[] {
  const alone = programs
    .filter((program) => program.cutters.length === 1)
    .map((program) => program.cutters[0] as string);
  return [...new Set(alone.filter((cutter, k) => alone.indexOf(cutter) !== k))];
}

/** The size of a file in kB or MB. */
export const sizeText = (bytes: number): string =>
  bytes < 1e6 ? `${Math.max(Math.round(bytes / 1e3), 1)} kB` : `${(bytes / 1e6).toFixed(1)} MB`;

/** The plan with one override more. */
export function withOverride(plan: FullPlan, finding: Finding, reason: string): FullPlan {
  const { code, row, text } = finding;
  const others = (plan.overrides ?? []).filter((item) => item.code !== code || item.row !== row);
  return { ...plan, overrides: [...others, { code, row, text, reason: reason.trim() }] };
}

function StopLine(props: { finding: Finding }) {
  const { plan, keep } = useSheetState();
  const { finding } = props;
  const [reason, setReason] = useState<string | null>(null);
  const drop = () =>
    keep(
      {
        ...plan,
        overrides: (plan.overrides ?? []).filter((item) => item.code !== finding.code || item.row !== finding.row),
      },
      "take back an override",
    );
  return (
    <Stop>
      <p>
        <Mark level="stop" />{" "}
        <span>
          {finding.text}: {finding.advice}.
        </span>
      </p>
      {finding.overridden ? (
        <div style={{ display: "flex", justifyContent: "space-between", gap: 12 }}>
          <span>Posted anyway, because: {finding.overridden}</span>
          <Button onPress={drop}>Take it back</Button>
        </div>
      ) : reason === null ? (
        <div>
          <Button onPress={() => setReason("")}>Post anyway…</Button>
        </div>
      ) : (
        <>
          <WordField label="Because" value={reason} onChange={setReason} />
          <div style={{ display: "flex", gap: 8, justifyContent: "flex-end" }}>
            <Button onPress={() => setReason(null)}>Cancel</Button>
            <Button
              $danger
              isDisabled={reason.trim().length < 3}
              onPress={() => keep(withOverride(plan, finding, reason), "override a stop")}
            >
              Post at my own risk
            </Button>
          </div>
        </>
      )}
    </Stop>
  );
}

const STATES: Record<FileOrigin["state"], Finding["level"]> = {
  current: "note",
  earlier: "caution",
  altered: "stop",
  unknown: "caution",
  none: "note",
};

/** Cautions to read before the files are run. */
function Known(props: { list: Finding[] }) {
  if (!props.list.length) return null;
  return (
    <ul style={{ margin: 0, padding: 0, listStyle: "none" }} data-testid="cautions">
      {props.list.map((finding, k) => (
        <li key={`${finding.code}-${finding.row}-${k}`}>
          <Mark level={finding.level} /> {/^\d+$/.test(finding.row) && `${finding.row}: `}
          {finding.text}: {finding.advice}.
        </li>
      ))}
    </ul>
  );
}

/** The posted files of a setup, in the order that they are run in. */
function SetupFiles(props: { job: Job; info: SetupInfo; named: boolean }) {
  const { job, info } = props;
  const { derived } = useSheetState();
  const programs = info.programs ?? [];
  return (
    <>
      <p>
        {props.named && <b>{[setupOf(job.plan, info.id).name, partTitle(info)].filter(Boolean).join(", ")}. </b>}
        Zero: {info.zero}. Each file was read back and says what was planned.
      </p>
      <Known list={toKnow(findingsOf(derived, info)).filter((finding) => finding.level === "caution")} />
      <Files>
        {programs.map((program) => (
          <li key={program.name}>
            <a href={`/api/jobs/${job.id}/program/${info.id}/${program.name}`} download>
              {program.name}
            </a>
            <span>
              {program.cutters.length === 1 ? program.cutters[0] : `${program.cutters.length} cutters`} ·{" "}
              {clock(program.seconds)} · {sizeText(program.size)}
            </span>
          </li>
        ))}
      </Files>
      {usedAgain(programs).map((cutter) => (
        <Said key={cutter} $level="muted">
          {cutter} has more than one file: other cutters work between.
        </Said>
      ))}
    </>
  );
}

/** A file from anywhere: whose it is, and what it would cut. */
function OpenedFile(props: {
  name: string;
  said: FileOrigin;
  proof: ExternalProgram | null;
  problem: string;
  onShow: (proof: ExternalProgram) => void;
  onAfter: (after: number) => void;
}) {
  const { plan, derived, setupId } = useSheetState();
  const worked = (infoOf(derived, setupId)?.operations ?? []).filter((item) => item.state !== "off");
  const begins = {
    0: "as the setup begins",
    ...Object.fromEntries(worked.map((item) => [item.number, `after ${item.number} ${item.title}`])),
  };
  const unit = plan.units ?? "mm";
  const { said, proof } = props;
  const span = (k: number) =>
    `${lengthText(proof?.low[k] ?? 0, unit, "measured")} to ${lengthText(proof?.high[k] ?? 0, unit, "measured")}`;
  return (
    <Stop data-testid="opened-file">
      <p>
        <Mark level={STATES[said.state]} />{" "}
        <span>
          <b>{props.name}</b>: {said.words}.
        </span>
      </p>
      {props.problem && <Said role="alert">{props.problem}</Said>}
      <Row>
        <span>Block that it is run on</span>
        <Choose
          wide
          label="Block that it is run on"
          value={String(said.after)}
          choices={begins}
          onChange={(number) => props.onAfter(Number(number))}
        />
      </Row>
      {!proof && !props.problem && <p>It is being proved against the stock…</p>}
      {proof && (
        <>
          <Facts>
            <dt>Moves</dt>
            <dd>
              {proof.moves} in {proof.lines} lines, {clock(proof.seconds)}
            </dd>
            <dt>Cutters</dt>
            <dd>{proof.parts.map((part) => `${part.cutter.number} ${part.cutter.name}`).join(" · ")}</dd>
            <dt>X · Y · Z</dt>
            <dd>
              {[0, 1, 2].map(span).join(" · ")} {unit}
            </dd>
            {proof.compare.gouge_max !== undefined && (
              <>
                <dt>Against the model</dt>
                <dd>
                  deepest gouge {lengthText(proof.compare.gouge_max, unit, "fine")}, within{" "}
                  {lengthText(proof.compare.limit ?? 0, unit, "fine")} on{" "}
                  {(100 * (proof.compare.within_tolerance ?? 0)).toFixed(1)} %
                </dd>
              </>
            )}
          </Facts>
          {proof.findings.map((finding, k) => (
            <p key={`${finding.code}-${k}`}>
              <Mark level={finding.level} />{" "}
              <span>
                {finding.text}: {finding.advice}.
              </span>
            </p>
          ))}
          {proof.findings.length === 0 && <p>It meets nothing that it should not.</p>}
          <div>
            <Button onPress={() => props.onShow(proof)}>Show it in the view</Button>
          </div>
        </>
      )}
    </Stop>
  );
}

export function PostFiles(props: { open: boolean; onClose: () => void; onCalculate: () => void }) {
  const { job, derived, plan, keep, showExternal, busy, progress, setupId } = useSheetState();
  const { data: posts } = usePosts();
  const [opened, setOpened] = useState<{
    file: File;
    name: string;
    said: FileOrigin;
    proof: ExternalProgram | null;
    problem: string;
  } | null>(null);
  const [refused, setRefused] = useState("");
  const todo = withWork(plan);
  const parts = todo.flatMap((setup) => partsOf(derived, setup.id));
  const worked = parts.filter((item) => item.programs);
  const current = todo.length > 0 && worked.length === parts.length;
  const stops = [...derived.findings, ...derived.setups.flatMap((item) => item.findings)].filter(
    (finding) => finding.level === "stop",
  );
  const standing = stops.filter((finding) => !finding.overridden);
  const mine = postId(plan.post);
  const choices = Object.fromEntries([
    ...(typeof plan.post === "object" ? [[mine, `${plan.post?.title} (as this job took it)`]] : []),
    ...(posts ?? []).map((item) => [item.data.id, item.data.title]),
  ]) as Record<string, string>;
  const choose = (id: string) => {
    const found = posts?.find((item) => item.data.id === id);
    if (found) keep({ ...plan, post: found.shipped ? id : (found.data as Post) }, "post");
  };
  const look = (file: File, after: number | null = null) => {
    setRefused("");
    checkFile(job.id, infoOf(derived, setupId)?.id ?? setupId, file, after)
      .then((said) => {
        const found = { file, name: file.name, said, proof: null, problem: "" };
        setOpened(found);
        resultOf<ExternalProgram>(said.key, "external")
          .then((proof) => setOpened({ ...found, proof }))
          .catch((reason: Error) => setOpened({ ...found, problem: reason.message }));
      })
      .catch((reason: Error) => setRefused(reason.message));
  };
  return (
    <Ask title="Post files" open={props.open} onClose={props.onClose}>
      <Choose wide label="Post" value={mine} choices={choices} onChange={choose} />
      <Row>
        <span>Unit of the files</span>
        <Choose
          wide
          label="Unit of the files"
          value={plan.post_unit ?? "post"}
          choices={{ post: "of the post", mm: "millimetres", in: "inches" }}
          onChange={(unit) =>
            keep({ ...plan, post_unit: unit === "post" ? null : (unit as "mm" | "in") }, "unit of the files")
          }
        />
      </Row>
      {stops.map((finding) => (
        <StopLine key={finding.code + finding.row} finding={finding} />
      ))}
      {!current &&
        standing.length === 0 &&
        (busy ? (
          <p role="status">
            The files are being written and read back for this post ({progressText(progress, plan, derived)}); the list
            appears here when that is done.
          </p>
        ) : (
          <div style={{ display: "flex", justifyContent: "space-between", gap: 12, alignItems: "center" }}>
            <span>The files are not written yet as the job is now. Only what was proved can be posted.</span>
            <Button $main onPress={props.onCalculate}>
              Calculate
            </Button>
          </div>
        ))}
      {current && standing.length > 0 && (
        <p>Nothing is posted while there is a stop. Fix it, or give the reason why you post it anyway.</p>
      )}
      {standing.length === 0 && worked.length > 0 && (
        <Known list={jobFindings(derived).filter((finding) => finding.level === "caution")} />
      )}
      {standing.length === 0 &&
        worked.map((item) => <SetupFiles key={item.id} job={job} info={item} named={parts.length > 1} />)}
      {standing.length === 0 && current && (
        <a href={`/api/jobs/${job.id}/programs.zip`} download style={{ justifySelf: "start" }}>
          All files as a zip
        </a>
      )}
      {opened && (
        <OpenedFile
          {...opened}
          onAfter={(after) => look(opened.file, after)}
          onShow={(proof) => {
            showExternal({ name: opened.name, proof });
            props.onClose();
          }}
        />
      )}
      {refused && <Said role="alert">{refused}</Said>}
      <Foot>
        <ChooseFile onSelect={(files) => files?.[0] && look(files[0])}>
          <Button>Check a program from disk…</Button>
        </ChooseFile>
        <span style={{ flex: 1 }} />
        <a href={`/jobs/${job.id}/sheet`} target="_blank" rel="noreferrer" style={{ alignSelf: "center" }}>
          Printable sheet
        </a>
        <Button onPress={props.onClose}>Close</Button>
      </Foot>
    </Ask>
  );
}

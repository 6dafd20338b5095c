/** The workspace of a job: sheet, view, inspector, run strip. */
import { FieldTrouble, useRefusal } from "../parts/trouble";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import styled from "styled-components";
import { useHelpKey } from "../help/useHelpKey";
import { isBusy, previewPlan, useCalculation, useJob, useJobActions } from "../api/jobs";
import type { Derived, PlanEdit, FullPlan } from "../api/types";
import { Button } from "../parts/controls";
import type { Focus } from "../view/Camera";
import { useExternalData, useOperationData } from "../view/data";
import { momentAt } from "../view/moment";
import { View } from "../view/View";
import { useBackground } from "./background";
import { Header } from "./Header";
import { Inspector } from "./inspector/Inspector";
import { RouteSheet } from "./RouteSheet";
import { RunStrip } from "./RunStrip";
import {
  infoOf,
  shownSetup,
  SheetState,
  type Chosen,
  type Fault,
  type Mode,
  type ReliefLook,
  type Sheet,
  type Shown,
  type Tool,
} from "./state";

const Page = styled.div`
  display: grid;
  height: 100vh;
  grid-template: 44px minmax(0, 1fr) 98px / 344px minmax(0, 1fr) 316px;
  @media (max-width: 1200px) {
    grid-template-columns: 300px minmax(0, 1fr) 288px;
  }
  grid-template-areas: "head head head" "sheet view inspector" "strip strip strip";
  & > header {
    grid-area: head;
  }
  & > aside {
    grid-area: sheet;
  }
  & > footer {
    grid-area: strip;
  }
`;
const Waiting = styled.div`
  display: grid;
  place-items: center;
  height: 100vh;
  gap: 12px;
  align-content: center;
`;

export function Workspace(props: { id: number }) {
  const { data: job, error } = useJob(props.id);
  const actions = useJobActions(props.id);
  const { data: calculation } = useCalculation(job);
  const [chosen, choose] = useState<Chosen>({ kind: "stock" });
  const [mode, setMode] = useState<Mode>("place");
  const [draft, setDraft] = useState<{ plan: FullPlan; derived: Derived | null; base: number } | null>(null);
  const [time, setTime] = useState(Infinity);
  const { trouble, elsewhere, begin, clear } = useRefusal();
  const [tool, setTool] = useState<Tool>("none");
  const [faults, showFaults] = useState<Fault | null>(null);
  const [reliefLook, lookAtRelief] = useState<ReliefLook | null>(null);
  const [focus, setFocus] = useState<Focus | null>(null);
  const [external, setExternal] = useState<Shown | null>(null);
  const asked = useRef(0);
  const [looking, setLooking] = useState(false);

  const look = useCallback(
    (plan: FullPlan | null, change: PlanEdit | null, now = false) => {
      const turn = ++asked.current;
      const refuse = begin();
      setLooking(Boolean(plan && job));
      if (!plan || !job) {
        setDraft(null);
        clear();
        return;
      }
      if (now) setDraft((old) => ({ plan, derived: old?.derived ?? null, base: job.version }));
      // Debounce: the view already shows the change.
      const rested = now ? new Promise((resolve) => setTimeout(resolve, 250)) : Promise.resolve();
      rested
        .then(() => (turn === asked.current ? previewPlan(plan, change) : Promise.reject(new Error(""))))
        .then((seen) => {
          if (turn === asked.current) {
            setDraft({ ...seen, base: job.version });
            clear();
          }
        })
        .catch((reason: Error) => {
          if (turn === asked.current) refuse(reason.message);
        })
        .finally(() => {
          if (turn === asked.current) setLooking(false);
        });
    },
    [job, begin, clear],
  );
  const live = useCallback((plan: FullPlan | null, now?: boolean) => look(plan, null, now), [look]);
  const liveEdit = useCallback((change: PlanEdit | null) => look(change && job ? job.plan : null, change), [look, job]);

  const { mutate: makeEdit } = actions.edit,
    { mutate: writePlan } = actions.write;
  // A change made after a wait, such as an upload, must use the newest version of the job.
  const latest = useRef(job);
  latest.current = job;
  const edit = useCallback(
    (change: PlanEdit, note: string, then?: (plan: FullPlan) => void) => {
      if (!latest.current) return;
      asked.current++;
      const refuse = begin();
      setLooking(false);
      makeEdit(
        { based_on: latest.current.version, edit: change, note },
        {
          onSuccess: (after) => {
            setDraft(null);
            clear();
            then?.(after.plan);
          },
          onError: (reason) => {
            setDraft(null);
            refuse(reason.message);
          },
        },
      );
    },
    [makeEdit, begin, clear],
  );

  const keep = useCallback(
    (change: FullPlan | ((plan: FullPlan) => FullPlan), note: string) => {
      const now = latest.current;
      if (!now) return;
      const plan = typeof change === "function" ? change(now.plan) : change;
      asked.current++;
      const refuse = begin();
      setLooking(false);
      setDraft({ plan, derived: null, base: now.version });
      writePlan(
        { based_on: now.version, from: now.plan, plan, note },
        {
          onSuccess: () => {
            setDraft(null);
            clear();
          },
          onError: (reason) => {
            setDraft(null);
            refuse(reason.message);
          },
        },
      );
    },
    [writePlan, begin, clear],
  );

  const plan = draft?.plan ?? job?.plan;
  const derived = draft?.derived ?? job?.derived;
  const [seen, setSeen] = useState("");
  const setupId = plan ? shownSetup(plan, chosen, seen) : "";
  useEffect(() => setSeen(setupId), [setupId]);
  const own = useOperationData(job ? infoOf(job.derived, setupId) : undefined);
  const other = useExternalData(external?.proof ?? null);
  const list = external ? other : own;
  const total = list.reduce((sum, item) => sum + item.seconds, 0);
  const complete =
    own.length > 0 &&
    own.length ===
      ((job && infoOf(job.derived, setupId))?.operations.filter((item) => item.state !== "off").length ?? 0);
  const moment = useMemo(() => momentAt(list, time), [list, time]);

  const goTo = useCallback((place: [number, number, number] | null, at: number | null) => {
    if (place) setFocus((old) => ({ at: place, turn: (old?.turn ?? 0) + 1 }));
    if (at !== null) {
      setTime(at);
      setMode((old) => (old === "place" || old === "compare" ? "proof" : old));
    } else setMode((old) => (old === "place" ? "proof" : old));
  }, []);
  const showExternal = useCallback((shown: Shown | null) => {
    setExternal(shown);
    setTime(Infinity);
    if (shown) setMode("proof");
  }, []);

  const { mutate: undo } = actions.undo,
    { mutate: redo } = actions.redo;
  const { mutate: calculate } = actions.calculate,
    { mutate: cancel } = actions.cancel,
    { mutate: rename } = actions.rename;
  const stepTo = useCallback(
    (step: typeof undo) => {
      if (job) step(job.version, { onError: (reason) => begin()(reason.message), onSuccess: () => clear() });
    },
    [begin, clear, job],
  );
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if (
        !(event.ctrlKey || event.metaKey) ||
        event.key.toLowerCase() !== "z" ||
        event.target instanceof HTMLInputElement
      )
        return;
      event.preventDefault();
      stepTo(event.shiftKey ? redo : undo);
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [stepTo, undo, redo]);
  useHelpKey(job?.plan, chosen);

  const [automatic, keepAutomatic] = useState(localStorage.getItem("calculate") !== "by hand");
  const start = useCallback(
    () => calculate(undefined, { onError: (reason) => begin()(reason.message), onSuccess: () => clear() }),
    [begin, clear, calculate],
  );
  // An automatic calculation must not replace the message about the field being edited.
  const startQuietly = useCallback(() => calculate(undefined), [calculate]);
  const stopIt = useCallback(() => cancel(), [cancel]);
  useBackground(job, calculation, automatic, startQuietly, stopIt);
  const setAutomatic = useCallback((on: boolean) => {
    localStorage.setItem("calculate", on ? "automatically" : "by hand");
    keepAutomatic(on);
  }, []);

  useEffect(() => {
    if (job) document.title = `${job.name} · Nephos`;
  }, [job]);

  const busy = isBusy(calculation),
    saving = actions.write.isPending || actions.edit.isPending;
  const failed = calculation?.state === "failed" && calculation.revision === job?.revision ? calculation.reason : "";
  const ofThis = calculation?.revision === job?.revision,
    progress = calculation?.state === "working" ? calculation : null,
    said = elsewhere || failed;
  // One value as long as nothing in it changes: the sheet and the inspector do not follow the run strip.
  const sheet: Sheet | null = useMemo(
    () =>
      job && plan && derived
        ? {
            job,
            plan,
            derived,
            chosen,
            setupId,
            choose,
            live,
            keep,
            busy,
            ofThis,
            progress,
            problem: said,
            looking: looking || saving,
            liveEdit,
            edit,
            tool,
            setTool,
            faults,
            showFaults,
            reliefLook,
            lookAtRelief,
            goTo,
            external,
            showExternal,
          }
        : null,
    [
      job,
      plan,
      derived,
      chosen,
      setupId,
      live,
      keep,
      busy,
      ofThis,
      progress,
      said,
      looking,
      saving,
      liveEdit,
      edit,
      tool,
      faults,
      reliefLook,
      goTo,
      external,
      showExternal,
    ],
  );
  const back = useCallback(() => stepTo(undo), [stepTo, undo]),
    again = useCallback(() => stepTo(redo), [stepTo, redo]);

  if (error && !job)
    return (
      <Waiting>
        <p>{error.message}</p>
        <Button onPress={() => window.location.assign("/")}>Back to the jobs</Button>
      </Waiting>
    );
  if (!sheet) return <Waiting>opening the job…</Waiting>;
  return (
    <SheetState.Provider value={sheet}>
      <FieldTrouble.Provider value={trouble}>
        <Page>
          <Header saving={saving} onUndo={back} onRedo={again} onCalculate={start} onRename={rename} />
          <RouteSheet
            calculation={calculation ?? null}
            onCalculate={start}
            onCancel={stopIt}
            automatic={automatic}
            onByItself={setAutomatic}
          />
          <View
            mode={mode}
            onMode={setMode}
            list={list}
            moment={time === Infinity && mode !== "paths" ? null : moment}
            complete={complete}
            focus={focus}
            onTime={(value) => {
              setTime(value);
              setMode("proof");
            }}
            onExternalOff={() => showExternal(null)}
          />
          <Inspector />
          <RunStrip
            list={list}
            total={total}
            time={Math.min(time, total)}
            moment={moment}
            onTime={(value) => {
              setTime(value);
              if (mode === "place" || mode === "compare") setMode("paths");
            }}
          />
        </Page>
      </FieldTrouble.Provider>
    </SheetState.Provider>
  );
}

/** Setups on the route sheet: added, proposed, moved, copied, switched off. */
import { useState } from "react";
import { proposeKind, useJobKinds } from "../api/jobs";
import type { FullPlan, Setup, Side } from "../api/types";
import { Ask, Button, Choose, Foot, Quiet, Said } from "../parts/controls";
import { AngleAboutX, Note } from "./inspector/shared";
import { Tools } from "./rows";
import { useSheetState } from "./state";

export const SIDES: Record<Side, string> = {
  top: "top",
  bottom: "underside",
  front: "front",
  back: "back",
  left: "left end",
  right: "right end",
  angle: "an angle about X",
};

export function SetupTools(props: { setup: Setup }) {
  const { plan, edit, choose } = useSheetState();
  const { setup } = props;
  const at = plan.setups.findIndex((item) => item.id === setup.id);
  const alone = plan.setups.length === 1;
  return (
    <Tools>
      <Quiet
        aria-label="Move setup up"
        isDisabled={at === 0}
        onPress={() => edit({ do: "move_setup", setup: setup.id, by: -1 }, "move a setup")}
      >
        ↑
      </Quiet>
      <Quiet
        aria-label="Move setup down"
        isDisabled={at === plan.setups.length - 1}
        onPress={() => edit({ do: "move_setup", setup: setup.id, by: 1 }, "move a setup")}
      >
        ↓
      </Quiet>
      <Quiet
        onPress={() =>
          edit({ do: "copy_setup", setup: setup.id }, "copy a setup", (after) => {
            const added = addedSetup(plan, after);
            if (added) choose({ kind: "setup", id: added.id });
          })
        }
      >
        Copy
      </Quiet>
      <Quiet
        isDisabled={alone}
        onPress={() =>
          edit(
            { do: "change_setup", setup: setup.id, change: { on: !setup.on } },
            setup.on ? "switch off" : "switch on",
          )
        }
      >
        {setup.on ? "Switch off" : "Switch on"}
      </Quiet>
      <Quiet
        isDisabled={alone}
        onPress={() => {
          choose({ kind: "stock" });
          edit({ do: "remove_setup", setup: setup.id }, "delete a setup");
        }}
      >
        Delete
      </Quiet>
    </Tools>
  );
}

/** The setup that a plan has more than the one before. */
export const addedSetup = (before: FullPlan, after: FullPlan): Setup | undefined =>
  after.setups.find((setup) => !before.setups.some((other) => other.id === setup.id));

export function AddSetup() {
  const { edit, plan, choose } = useSheetState();
  const [open, setOpen] = useState(false);
  const [side, setSide] = useState<Side>("bottom");
  const [angle, setAngle] = useState(45);
  return (
    <>
      <Quiet onPress={() => setOpen(true)}>+ Setup</Quiet>
      <Ask title="Add a setup" open={open} onClose={() => setOpen(false)}>
        <Note>
          The stock is turned so that another side lies up. The setup begins with what the setups before it leave.
        </Note>
        <Choose label="Side up" value={side} choices={SIDES} onChange={setSide} />
        {side === "angle" && <AngleAboutX value={angle} onChange={setAngle} />}
        <Foot>
          <Button onPress={() => setOpen(false)}>Cancel</Button>
          <Button
            $main
            onPress={() => {
              edit({ do: "add_setup", side, angle: side === "angle" ? angle : 0 }, "add a setup", (after) => {
                const added = addedSetup(plan, after);
                if (added) choose({ kind: "setup", id: added.id });
              });
              setOpen(false);
            }}
          >
            Add the setup
          </Button>
        </Foot>
      </Ask>
    </>
  );
}

const ABOUT: Record<string, string> = {
  "one-face": "all from above; the part is cut out and held by tabs",
  "two-faces": "top and underside, with parting, border and tabs; the stock is turned over between them",
  rotary: "the part rotates between chuck and tailstock, with a core; the stock becomes a round bar",
  "four-faces": "top, front, underside and back, with quarter turns; the part is held at both ends along X",
};

export function ProposeKind() {
  const { job } = useSheetState();
  const { data: kinds } = useJobKinds();
  const [open, setOpen] = useState(false);
  const [working, setWorking] = useState("");
  const [problem, setProblem] = useState("");
  const [notes, setNotes] = useState<string[]>([]);
  const show = (isOpen: boolean) => {
    setNotes([]);
    setProblem("");
    setOpen(isOpen);
  };
  const start = (kind: string) => {
    setWorking(kind);
    setProblem("");
    proposeKind(job.id, job.version, kind)
      .then((said) => (said.length > 0 ? setNotes(said) : setOpen(false)))
      .catch((reason: Error) => setProblem(reason.message))
      .finally(() => setWorking(""));
  };
  return (
    <>
      <Quiet onPress={() => show(true)}>Propose…</Quiet>
      <Ask title="Proposed" open={open && notes.length > 0} onClose={() => show(false)}>
        {notes.map((note) => (
          <Note key={note}>The setups are on the sheet. Note: {note}.</Note>
        ))}
        <Foot>
          <Button $main onPress={() => show(false)}>
            Close
          </Button>
        </Foot>
      </Ask>
      <Ask wide title="Propose setups and operations" open={open && notes.length === 0} onClose={() => show(false)}>
        <Note>
          They take the place of those on the sheet; undo brings these back. The stock is made larger where it leaves no
          room for the cutters beside the part.
        </Note>
        {Object.entries(kinds ?? {}).map(([key, title]) => (
          <Button
            key={key}
            isDisabled={working !== ""}
            onPress={() => start(key)}
            style={{ textAlign: "left", padding: "8px 11px", whiteSpace: "normal" }}
          >
            <b>{title}</b> — {working === key ? "looking at the model…" : ABOUT[key]}
          </Button>
        ))}
        {problem && <Said role="alert">{problem}</Said>}
        <Foot>
          <Button onPress={() => show(false)}>Cancel</Button>
        </Foot>
      </Ask>
    </>
  );
}

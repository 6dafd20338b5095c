/** Job name, revision, undo and redo, unit, machine, Post. */
import { memo, useState } from "react";
import { Link } from "react-aria-components";
import styled from "styled-components";
import { openHelp } from "../help/address";
import { usePaper } from "../parts/paper";
import { travelText } from "../lib/machines";
import { Ask, Button, Foot, Quiet, Segments } from "../parts/controls";
import { WordField } from "../parts/fields";
import { PostFiles } from "./PostFiles";
import { useSheetState } from "./state";

const Bar = styled.header`
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 0 14px;
  background: ${(p) => p.theme.panel};
  border-bottom: 1px solid ${(p) => p.theme.hairline};
  & .name {
    font-weight: 600;
    color: ${(p) => p.theme.ink};
  }
  & .facts {
    font: 12px ${(p) => p.theme.mono};
    color: ${(p) => p.theme.muted};
  }
  & .gap {
    flex: 1;
  }
`;
export const Brand = styled(Link)`
  font-weight: 700;
  font-size: 15px;
  text-decoration: none;
  color: ${(p) => p.theme.ink};
  padding-right: 14px;
  border-right: 1px solid ${(p) => p.theme.hairline};
  line-height: 24px;
`;
export const Header = memo(function Header(props: {
  saving: boolean;
  onUndo: () => void;
  onRedo: () => void;
  onCalculate: () => void;
  onRename: (name: string) => void;
}) {
  const { job, plan, keep } = useSheetState();
  const sheet = usePaper();
  const [posting, setPosting] = useState(false);
  const [name, setName] = useState<string | null>(null);
  const unit = plan.units ?? "mm";
  return (
    <Bar>
      <Brand href="/">nephos</Brand>
      <Quiet className="name" aria-label={`Rename ${job.name}`} onPress={() => setName(job.name)}>
        {job.name}
      </Quiet>
      <span className="facts" role="status">
        rev {job.revision} · {props.saving ? "saving…" : "saved"}
      </span>
      <span className="gap" />
      <span>
        <Quiet aria-label="Undo" isDisabled={!job.can_undo} onPress={props.onUndo}>
          ↶
        </Quiet>
        <Quiet aria-label="Redo" isDisabled={!job.can_redo} onPress={props.onRedo}>
          ↷
        </Quiet>
      </span>
      <Segments
        label="Unit"
        value={unit}
        choices={{ mm: "mm", in: "in" }}
        onChange={(units) => keep({ ...plan, units }, "unit")}
      />
      <span className="facts">
        {job.machine.name} {travelText(job.machine, unit)}
      </span>
      <Quiet aria-label="Help" onPress={() => openHelp("/help")}>
        ?
      </Quiet>
      <Quiet aria-label={sheet.dark ? "Paper sheet" : "Dark sheet"} onPress={sheet.turn}>
        {sheet.dark ? "☀" : "☾"}
      </Quiet>
      <Button $main onPress={() => setPosting(true)}>
        Post files…
      </Button>
      <PostFiles open={posting} onClose={() => setPosting(false)} onCalculate={props.onCalculate} />
      <Ask title="Rename the job" open={name !== null} onClose={() => setName(null)}>
        <WordField label="Name" value={name ?? ""} onChange={setName} />
        <Foot>
          <Button onPress={() => setName(null)}>Cancel</Button>
          <Button
            $main
            isDisabled={!name?.trim()}
            onPress={() => {
              props.onRename((name ?? "").trim());
              setName(null);
            }}
          >
            Rename
          </Button>
        </Foot>
      </Ask>
    </Bar>
  );
});

/** Models laid out on the board, and on further boards. */
import { useState } from "react";
import { useQueryClient } from "@tanstack/react-query";
import { layOnBoards } from "../../api/jobs";
import { Quiet } from "../../parts/controls";
import { NumberField } from "../../parts/fields";
import { useSheetState } from "../state";
import { Buttons, Folded, Note } from "./shared";

/** All models that are shown on this board, or the pieces of a design on as many boards as they need. */
export function Boards() {
  const { job, plan, edit } = useSheetState();
  const client = useQueryClient();
  const [gap, setGap] = useState(12);
  const [said, setSaid] = useState("");
  const unit = plan.units ?? "mm";
  const count = (plan.models ?? []).length;
  if (count < 2) return null;
  const boards = () =>
    layOnBoards(job.id, job.version, gap)
      .then((jobs) => {
        void client.invalidateQueries();
        setSaid(jobs.length === 1 ? "All lie on this board." : `${jobs.length - 1} more jobs were made, one a board.`);
      })
      .catch((reason: Error) => setSaid(reason.message));
  return (
    <Folded title="Lay out" short={`${count} models`}>
      <NumberField
        label="Gap"
        unit={unit}
        value={gap}
        low={0}
        high={1000}
        help="between models, and to the edges"
        onChange={(value) => value !== null && setGap(value)}
      />
      <Buttons>
        <Quiet onPress={() => edit({ do: "lay_out", gap }, "lay out")}>Lay out what is shown</Quiet>
        <Quiet onPress={() => void boards()}>Pieces on several boards</Quiet>
      </Buttons>
      <Note>
        {said ||
          "What finds no room is hidden, or comes into a further job for the next board. Then move them by hand."}
      </Note>
    </Folded>
  );
}

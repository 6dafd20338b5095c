/** How far the sample shop is, over the list of jobs; and the button that has it made, on a page without jobs. */
import styled from "styled-components";
import { isUnderWay, useSampleShop, type SampleShop } from "../api/jobList";
import { Button, Quiet, Said } from "../parts/controls";
import { Strip } from "./Strip";

const Empty = styled.section`
  grid-column: 1 / -1;
  max-width: 560px;
  & h2 {
    margin: 0 0 8px;
    font-size: 15px;
  }
  & ol {
    margin: 0 0 18px;
    padding-left: 20px;
  }
  & li {
    margin-bottom: 4px;
  }
  & p {
    margin: 0 0 8px;
  }
`;

/** What is made now, in words. */
export function sampleInWords(shop: SampleShop): string {
  const count = `${shop.finished} of ${shop.jobs} jobs finished`;
  if (shop.state === "waiting") return "The sample shop waits for a worker.";
  if (shop.state === "made") return `The sample jobs are being calculated: ${count}. Your own work goes first.`;
  const step = shop.step === "meshes" ? "drawing its meshes" : shop.step && `making ${shop.step}`;
  return `The sample shop is being made${step ? `: ${step}` : ""}. ${count}.`;
}

export function SampleShopStrip() {
  const { data, make } = useSampleShop();
  if (!data) return null;
  if (data.state === "failed" && data.reason)
    return (
      <Strip>
        <Said role="alert">{data.reason}</Said>
        <Quiet onPress={() => make.mutate()}>Try again</Quiet>
      </Strip>
    );
  if (!isUnderWay(data)) return null;
  // Making a job takes about as long as calculating it.
  const share = data.jobs > 0 ? (data.made + data.finished) / (2 * data.jobs) : 0;
  return (
    <Strip role="status">
      <progress max={1} value={share} aria-label="The sample shop" />
      <span>
        {Math.round(100 * share)} % · {sampleInWords(data)}
      </span>
    </Strip>
  );
}

/** What to do on a page without jobs. */
export function NoJobsYet() {
  const { data, make } = useSampleShop();
  return (
    <Empty>
      <h2>No jobs yet</h2>
      <ol>
        <li>Drop a mesh or a job file anywhere on this page, or press New job.</li>
        <li>Set its size and the stock, and choose a way of making: Nephos proposes the operations.</li>
        <li>Calculate, look at the proof, and post the files.</li>
      </ol>
      {data && !isUnderWay(data) && (
        <>
          <p>To try things first: the sample shop has a finished job of each kind, with cutters and stock.</p>
          <Button isDisabled={make.isPending} onPress={() => make.mutate()}>
            Make the sample shop
          </Button>
          {make.error && <Said role="alert">{make.error.message}</Said>}
        </>
      )}
    </Empty>
  );
}

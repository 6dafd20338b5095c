// @vitest-environment jsdom
import { expect, it, vi } from "vitest";
import { show } from "../testing/render";
import { ChooseFile } from "./ChooseFile";
import { Button } from "./controls";

it("takes the same file twice in a row", async () => {
  const taken = vi.fn();
  const { user, container } = show(
    <ChooseFile acceptedFileTypes={[".stl"]} onSelect={(files) => taken(files?.[0])}>
      <Button>Choose</Button>
    </ChooseFile>,
  );
  const field = () => container.querySelector("input") as HTMLInputElement;
  expect(field().accept).toBe(".stl");
  const file = new File(["solid"], "heron.stl");
  await user.upload(field(), file);
  const first = field();
  expect(first.files).toHaveLength(0);
  await user.upload(first, file);
  expect(taken.mock.calls.map((call) => (call[0] as File).name)).toEqual(["heron.stl", "heron.stl"]);
});

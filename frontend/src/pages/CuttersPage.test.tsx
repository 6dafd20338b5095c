// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { expect, it } from "vitest";
import type { Cutter } from "../api/types";
import { showPage } from "../testing/page";
import { CuttersPage, holderText, readHolder } from "./CuttersPage";

const flat = {
  number: 3,
  name: "6 mm flat",
  shape: "flat",
  diameter: 6,
  flute_length: 22,
  overall_length: 60,
  shank_diameter: 6,
  stickout: 35,
  flutes: 2,
  feed: 2400,
  plunge_feed: 800,
  spindle: 18000,
  ramp_limit: 90,
  corner_radius: 0,
  angle: null,
  tip_diameter: null,
  holder: [],
  group: "roughing",
} as unknown as Cutter;
const look = {
  problem: "",
  outline: [],
  sum: "0.067 mm a tooth",
  proposed: { feed: 1800 },
  proposed_sum: "",
  kept: [],
};
const shop = {
  "GET /api/cutters": [
    { id: 1, data: flat, outline: [] },
    { id: 2, data: { ...flat, number: 7, name: "3 mm ball", shape: "ball", group: "finishing" }, outline: [] },
  ],
  "GET /api/cutters/shapes": { flat: { title: "Flat", needs: [] }, ball: { title: "Ball", needs: [] } },
  "GET /api/shelf/materials": [],
  "POST /api/cutters/look": look,
  "POST /api/cutters": { id: 3, data: flat, outline: [] },
  "PUT /api/cutters/1": { id: 1, data: flat, outline: [] },
};
const kept = (changes: { what: string; body: Record<string, unknown> | null }[]) =>
  changes.filter((asked) => !asked.what.endsWith("/look"));

it("lists the cutters, of all groups or of one", async () => {
  const { user } = showPage(<CuttersPage />, shop);
  expect(await screen.findByRole("row", { name: /6 mm flat/ })).toBeTruthy();
  await user.click(screen.getByLabelText(/Group/));
  await user.click(await screen.findByRole("option", { name: "finishing" }));
  expect(screen.queryByRole("row", { name: /6 mm flat/ })).toBeNull();
  expect(screen.getByRole("row", { name: /3 mm ball/ })).toBeTruthy();
});

it("gives a new cutter the next free number", async () => {
  const { user, changes } = showPage(<CuttersPage />, shop);
  await screen.findByRole("row", { name: /6 mm flat/ });
  await user.click(screen.getByText("Add a cutter"));
  const dialog = await screen.findByRole("dialog");
  await user.clear(within(dialog).getByLabelText("Name"));
  await user.type(within(dialog).getByLabelText("Name"), "8 mm flat");
  await user.click(within(dialog).getByText("Save"));
  await waitFor(() => expect(kept(changes)).toHaveLength(1));
  expect(kept(changes)[0]).toMatchObject({
    what: "POST /api/cutters",
    body: { data: { number: 8, name: "8 mm flat" } },
  });
});

it("does not keep a cutter of which the server says that it cannot be", async () => {
  const wrong = { ...look, problem: "its flutes are longer than the cutter" };
  const { user } = showPage(<CuttersPage />, { ...shop, "POST /api/cutters/look": wrong });
  await user.click(await screen.findByLabelText("Change 6 mm flat"));
  expect((await screen.findByRole("alert")).textContent).toBe(wrong.problem);
  expect(screen.getByText<HTMLButtonElement>("Save").disabled).toBe(true);
});

it("takes the proposed feeds over", async () => {
  const { user, changes } = showPage(<CuttersPage />, shop);
  await user.click(await screen.findByLabelText("Change 6 mm flat"));
  await screen.findByText("0.067 mm a tooth");
  await user.click(screen.getByText("Take the proposed feeds"));
  await user.click(screen.getByText("Save"));
  await waitFor(() => expect(kept(changes)).toHaveLength(1));
  expect(kept(changes)[0]?.body).toMatchObject({ data: { feed: 1800, plunge_feed: 800 } });
});

it("asks before it deletes one", async () => {
  const { user, changes } = showPage(<CuttersPage />, shop);
  await user.click(await screen.findByLabelText("Delete 3 mm ball"));
  const dialog = await screen.findByRole("alertdialog").catch(() => screen.findByRole("dialog"));
  expect(kept(changes)).toHaveLength(0);
  await user.click(within(dialog).getByText("Delete"));
  await waitFor(() => expect(kept(changes).map((asked) => asked.what)).toEqual(["DELETE /api/cutters/2"]));
});

it("reads the steps of a holder as they are typed", () => {
  expect(readHolder("22 x 18 + 43 x 40")).toEqual([
    { diameter: 22, length: 18 },
    { diameter: 43, length: 40 },
  ]);
  expect(holderText(readHolder("22x18") ?? [])).toBe("22 x 18");
  expect(readHolder("22 by 18")).toBeNull();
  expect(readHolder("")).toEqual([]);
});

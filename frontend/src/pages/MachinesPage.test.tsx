// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { expect, it } from "vitest";
import { showPage } from "../testing/page";
import type { Axis, Machine } from "../api/types";
import { MachinesPage } from "./MachinesPage";

const axis = (name: "X" | "Y" | "Z"): Axis => ({
  name,
  kind: "linear",
  travel: 600,
  rapid: 6000,
  feed_limit: 5000,
  acceleration: 500,
});
const machine = (id: string, name: string): Machine => ({
  id,
  name,
  axes: [axis("X"), axis("Y"), axis("Z")],
  corner_deviation: 0.02,
  lookahead: 50,
  spindle_limit: 24000,
  spindle_wait_seconds: 4,
  cutter_change_seconds: 60,
  changer: false,
  bed: null,
});
const shop = {
  "GET /api/machines": [
    { id: "shed-router", shipped: true, data: machine("shed-router", "Shed router") },
    { id: "ours", shipped: false, data: machine("ours", "Our router") },
  ],
  "POST /api/machines": { id: "x", shipped: false, data: machine("x", "x") },
};

it("lets a machine that ships be copied, and only the shop's own be changed", async () => {
  showPage(<MachinesPage />, shop);
  const ships = await screen.findByRole("row", { name: /Shed router/ });
  expect(within(ships).queryByText("Change")).toBeNull();
  expect(within(ships).getByLabelText("Copy Shed router")).toBeTruthy();
  const own = screen.getByRole("row", { name: /Our router/ });
  expect(within(own).getByLabelText("Change Our router")).toBeTruthy();
});

it("gives a copy an id that is free", async () => {
  const { user, changes } = showPage(<MachinesPage />, shop);
  await user.click(await screen.findByLabelText("Copy Our router"));
  await user.click(within(await screen.findByRole("dialog")).getByText("Save"));
  await waitFor(() => expect(changes).toHaveLength(1));
  const { data } = changes[0]?.body as { data: { id: string } };
  expect(changes[0]?.what).toBe("POST /api/machines");
  expect(["shed-router", "ours"]).not.toContain(data.id);
});

it("says what is wrong with a file that is none", async () => {
  const { user, container, changes } = showPage(<MachinesPage />, shop);
  await screen.findByRole("row", { name: /Shed router/ });
  const chooser = container.ownerDocument.querySelector("input[type=file]") as HTMLInputElement;
  await user.upload(chooser, new File(["not a machine"], "router.json", { type: "application/json" }));
  expect((await screen.findByRole("alert")).textContent).toBe("router.json is no JSON file");
  expect(changes).toHaveLength(0);
});

it("deletes one of the shop's own once it is confirmed", async () => {
  const { user, changes } = showPage(<MachinesPage />, shop);
  await user.click(await screen.findByLabelText("Delete Our router"));
  const dialog = await screen.findByRole("alertdialog").catch(() => screen.findByRole("dialog"));
  await user.click(within(dialog).getByText("Delete"));
  await waitFor(() => expect(changes.map((asked) => asked.what)).toEqual(["DELETE /api/machines/ours"]));
});

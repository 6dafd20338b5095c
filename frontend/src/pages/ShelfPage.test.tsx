// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { expect, it } from "vitest";
import { showPage } from "../testing/page";
import { answer } from "../testing/server";
import { ShelfPage } from "./ShelfPage";

const lime = {
  name: "lime",
  group: "hardwood",
  colour: "#e8dcc0",
  surface_speed: 500,
  chip_load: 0.05,
  cutting_force: 20,
  stepdown: 1,
  grain: true,
};
const board = { name: "long board", material: "lime", length: 800, width: 200, thickness: 30, count: 2 };
const shop = {
  "GET /api/shelf/materials": [{ id: 1, data: lime }],
  "GET /api/shelf/pieces": [{ id: 4, data: board }],
  "POST /api/shelf/pieces": { id: 5, data: board },
  "PUT /api/shelf/materials/1": { id: 1, data: lime },
};

it("lists pieces and materials, and says what an empty shelf is for", async () => {
  showPage(<ShelfPage />, shop);
  const row = await screen.findByRole("row", { name: /long board/ });
  expect(
    within(row)
      .getAllByRole("gridcell")
      .map((cell) => cell.textContent)
      .join(" "),
  ).toContain("800 200 30 2");
  expect(await screen.findByRole("row", { name: /lime/ })).toBeTruthy();
});

it("says what to do with an empty shelf", async () => {
  showPage(<ShelfPage />, { ...shop, "GET /api/shelf/pieces": [] });
  expect(await screen.findByText(/Put the first piece on it/)).toBeTruthy();
});

it("puts a piece on the shelf with the numbers that were typed", async () => {
  const { user, changes } = showPage(<ShelfPage />, shop);
  await user.click(await screen.findByText("Put a piece on the shelf"));
  const dialog = await screen.findByRole("dialog");
  await user.clear(within(dialog).getByLabelText("Name"));
  await user.type(within(dialog).getByLabelText("Name"), "offcut");
  await user.clear(within(dialog).getByLabelText(/^Length/));
  await user.type(within(dialog).getByLabelText(/^Length/), "2*150{Enter}");
  await user.click(within(dialog).getByText("Save"));
  await waitFor(() => expect(screen.queryByRole("dialog")).toBeNull());
  expect(changes.map((asked) => asked.what)).toEqual(["POST /api/shelf/pieces"]);
  expect(changes[0]?.body).toMatchObject({ data: { name: "offcut", length: 300 } });
});

it("keeps the dialog with the server's own sentence where a change is refused", async () => {
  const refused = answer({ message: "there is a material 'oak' already" }, 422);
  const { user, changes } = showPage(<ShelfPage />, { ...shop, "PUT /api/shelf/materials/1": refused });
  await user.click(await screen.findByLabelText("Change lime"));
  await user.clear(screen.getByLabelText("Name"));
  await user.type(screen.getByLabelText("Name"), "oak");
  await user.click(screen.getByText("Save"));
  expect((await screen.findByRole("alert")).textContent).toBe("there is a material 'oak' already");
  expect(screen.getByLabelText<HTMLInputElement>("Name").value).toBe("oak");
  expect(changes[0]?.body).toMatchObject({ data: { ...lime, name: "oak" } });
});

it("takes a piece off", async () => {
  const { user, changes } = showPage(<ShelfPage />, shop);
  await user.click(await screen.findByLabelText("Delete long board"));
  await waitFor(() => expect(changes.map((asked) => asked.what)).toEqual(["DELETE /api/shelf/pieces/4"]));
});

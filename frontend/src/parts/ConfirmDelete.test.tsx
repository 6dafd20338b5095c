// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { expect, it, vi } from "vitest";
import { show } from "../testing/render";
import { ConfirmDelete } from "./ConfirmDelete";

it("deletes only when Delete is pressed", async () => {
  const [gone, closed] = [vi.fn(), vi.fn()];
  const { user } = show(<ConfirmDelete name="Shed" text="Jobs keep it." onDelete={gone} onClose={closed} />);
  await user.keyboard("{Enter}");
  await user.click(screen.getByRole("button", { name: "Keep it" }));
  expect(gone).not.toHaveBeenCalled();
  await user.click(screen.getByRole("button", { name: "Delete" }));
  expect(gone).toHaveBeenCalledTimes(1);
});

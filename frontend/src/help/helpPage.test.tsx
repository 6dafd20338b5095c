// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { beforeEach, expect, it, vi } from "vitest";
import { showPage } from "../testing/page";
import { HelpPage } from "./HelpPage";

const helix = {
  key: "finish_helix",
  title: "Finish, helix",
  summary: "Round the bar in one turning line.",
  shapes: ["ball"],
  schema: { properties: { stepover: { title: "Stepover", description: "between two turns" } } },
  kinds: ["rotary"],
};
const shop = { "GET /api/cutters/strategies": [helix] };

beforeEach(() => {
  Element.prototype.scrollIntoView = vi.fn();
});

it("lists its pages and shows the first of them", () => {
  showPage(<HelpPage />, shop);
  expect(screen.getByRole("link", { name: "Rotary" })).toBeDefined();
  expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("Running Nephos");
});

it("finds a setting of a strategy by its words, and says where nothing is found", async () => {
  const { user } = showPage(<HelpPage />, shop);
  const search = screen.getByRole("searchbox", { name: "Search the help" });
  await user.click(search);
  await user.paste("between two turns");
  const hit = await screen.findByRole("link", { name: /Finish, helix/ });
  expect(hit.getAttribute("href")).toBe("/help/strategies#finish_helix");
  await user.clear(search);
  await user.paste("xyzzy");
  expect((await screen.findByRole("status")).textContent).toContain("Nothing has “xyzzy”");
});

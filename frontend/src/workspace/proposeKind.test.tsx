// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { showInSheet } from "../testing/render";
import { ProposeKind } from "./SetupTools";

const server = vi.hoisted(() => ({
  asked: [] as unknown[],
  answer: (): Promise<string[]> => Promise.resolve([]),
}));
vi.mock("../api/jobs", () => ({
  proposeKind: (...asked: unknown[]) => {
    server.asked = asked;
    return server.answer();
  },
  useJobKinds: () => ({ data: { "two-faces": "Two faces", "four-faces": "Four faces" } }),
}));

const dialog = async () => {
  const { user } = showInSheet(<ProposeKind />, { setups: [] }, { job: { id: 7, version: 3 } } as never);
  await user.click(screen.getByText("Propose…"));
  return user;
};

describe("proposing a kind of job", () => {
  it("asks for the kind that is pressed, and closes when it is on the sheet", async () => {
    server.answer = () => Promise.resolve([]);
    const user = await dialog();
    await user.click(screen.getByText("Two faces"));
    expect(server.asked).toEqual([7, 3, "two-faces"]);
    expect(screen.queryByRole("dialog")).toBeNull();
  });
  it("says what is other than asked for, until it is closed", async () => {
    server.answer = () => Promise.resolve(["two faces are proposed"]);
    const user = await dialog();
    await user.click(screen.getByText("Four faces"));
    expect(screen.getByText(/on the sheet\. Note: two faces are proposed\./)).toBeTruthy();
    await user.click(screen.getByText("Close"));
    expect(screen.queryByRole("dialog")).toBeNull();
    await user.click(screen.getByText("Propose…"));
    expect(screen.getByText("Two faces"), "the next time it asks again").toBeTruthy();
  });
  it("stays open with the reason where it is refused", async () => {
    server.answer = () => Promise.reject(new Error("take a box as stock"));
    const user = await dialog();
    await user.click(screen.getByText("Four faces"));
    expect(screen.getByRole("alert").textContent).toBe("take a box as stock");
    await user.click(screen.getByText("Cancel"));
    expect(screen.queryByRole("dialog")).toBeNull();
  });
});

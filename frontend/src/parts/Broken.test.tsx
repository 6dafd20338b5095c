// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { expect, it, vi } from "vitest";
import { show } from "../testing/render";
import { Broken } from "./Broken";

function Faulty(): never {
  throw new Error("no such list");
}

it("says what to do where a part of the page breaks off", () => {
  vi.spyOn(console, "error").mockImplementation(() => undefined);
  show(
    <Broken>
      <Faulty />
    </Broken>,
  );
  expect(screen.getByRole("alert").textContent).toContain("no such list");
  expect(screen.getByRole("button", { name: "Reload the page" })).toBeTruthy();
});

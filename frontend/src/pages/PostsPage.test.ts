import { describe, expect, it } from "vitest";
import type { Post } from "../api/types";
import { linesOf } from "../parts/fields";
import { commentStyle, copyOf, withComments } from "./PostsPage";

const post = { id: "rs274-metric", title: "Metric", comment: { on: true, open: "(", close: ")", longest: 72 } } as Post;

describe("a post that is changed", () => {
  it("is a copy with the next free name", () => {
    expect(copyOf(post, ["rs274-metric", "shop-1"]).id).toBe("shop-2");
    expect(copyOf(post, []).title).toBe("Metric, ours");
  });
  it("has comments of a style, or none", () => {
    const semicolon = withComments(post, "semicolon");
    expect(commentStyle(semicolon)).toBe("semicolon");
    expect(semicolon.comment).toEqual({ on: true, open: ";", close: "", longest: 72 });
    expect(commentStyle(withComments(semicolon, "none"))).toBe("none");
    expect(commentStyle(withComments(semicolon, "brackets"))).toBe("brackets");
  });
  it("takes lines as they are typed, without empty ones at the end", () => {
    expect(linesOf("G21\nG90\n\n")).toEqual(["G21", "G90"]);
    expect(linesOf("  ")).toEqual([]);
  });
});

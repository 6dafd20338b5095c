import { describe, expect, it } from "vitest";
import { Line } from "./line";

/** A server that takes a change only on its newest version, and answers when it is told to. */
function server(version: number) {
  const waiting: (() => void)[] = [],
    sent: number[] = [];
  const send = (basedOn: number) =>
    new Promise<{ version: number }>((resolve, reject) => {
      sent.push(basedOn);
      waiting.push(() => {
        if (basedOn === version) resolve({ version: ++version });
        else reject(new Error("changed in another window"));
      });
    });
  const answer = async () => {
    waiting.shift()?.();
    await new Promise((next) => {
      setTimeout(next, 0);
    });
  };
  return {
    send,
    sent,
    answer,
    elsewhere: () => {
      version += 1;
    },
  };
}

describe("changes in quick succession", () => {
  it("follow one another, each on the version that the one before led to", async () => {
    const line = new Line<{ version: number }>(),
      far = server(7);
    const one = line.go(7, far.send),
      two = line.go(7, far.send),
      three = line.go(7, far.send);
    expect(far.sent).toEqual([7]);
    await far.answer();
    await far.answer();
    await far.answer();
    expect((await Promise.all([one, two, three])).map((job) => job.version)).toEqual([8, 9, 10]);
    expect(far.sent).toEqual([7, 8, 9]);
  });

  it("are refused together where another window was quicker, and go on after", async () => {
    const line = new Line<{ version: number }>(),
      far = server(7);
    far.elsewhere();
    const told = Promise.allSettled([line.go(7, far.send), line.go(7, far.send)]);
    await far.answer();
    expect((await told).map((item) => item.status)).toEqual(["rejected", "rejected"]);
    expect(far.sent).toEqual([7]);
    const next = line.go(8, far.send);
    await far.answer();
    expect((await next).version).toBe(9);
  });

  it("are based on what the page knows where nothing is on its way", async () => {
    const line = new Line<{ version: number }>(),
      far = server(3);
    const one = line.go(3, far.send);
    await far.answer();
    await one;
    far.elsewhere();
    const two = line.go(5, far.send);
    await far.answer();
    expect((await two).version).toBe(6);
  });
});

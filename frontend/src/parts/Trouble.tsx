/** A line at the foot of the page where Nephos itself is in trouble; it goes when that is over, and the page shows the newest state. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import styled from "styled-components";
import { Mark } from "./Marks";

const Line = styled.div`
  position: fixed;
  left: 0;
  right: 0;
  bottom: 0;
  z-index: 50;
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 7px 14px;
  background: ${(p) => p.theme.panel};
  border-top: 2px solid ${(p) => p.theme.stop};
  pointer-events: none;
`;
const LOST =
  "Nephos does not answer: is it still running? Nothing that was saved is lost; the page goes on when it is back.";

/** What is wrong with Nephos; empty where nothing is. */
export async function troubleNow(): Promise<string> {
  const answer = await fetch("/health?page").catch(() => null);
  if (!answer) return LOST;
  const found = (await answer.json().catch(() => ({ problem: LOST }))) as { problem: string };
  return found.problem;
}

export function Trouble() {
  const client = useQueryClient();
  const { data: problem = "" } = useQuery({
    queryKey: ["trouble"],
    queryFn: troubleNow,
    refetchInterval: (query) => (query.state.data ? 2000 : 15000),
    retry: false,
  });
  const before = useRef("");
  useEffect(() => {
    if (before.current && !problem) void client.invalidateQueries();
    before.current = problem;
  }, [problem, client]);
  return problem ? (
    <Line role="alert">
      <Mark level="stop" /> <span>{problem}</span>
    </Line>
  ) : null;
}

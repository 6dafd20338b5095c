/** Fields for numbers and words. */
import { useContext, useEffect, useId, useRef, useState } from "react";
import { FieldError, Input, Label, Text, TextArea, TextField } from "react-aria-components";
import styled from "styled-components";
import { feedText, lengthText, parseNumber, type Unit } from "../lib/numbers";
import { Quiet } from "./controls";
import { FieldTrouble } from "./trouble";

const Field = styled(TextField)<{ $tight?: boolean; $bare?: boolean }>`
  display: grid;
  grid-template-columns: ${(p) => (p.$bare ? "1fr" : p.$tight ? "24px 1fr" : "1fr 118px")};
  & > label {
    white-space: ${(p) => (p.$tight ? "nowrap" : "normal")};
  }
  align-items: center;
  gap: 2px 8px;
  min-height: 33px;
  position: relative;
`;

const Entry = styled(Input)`
  width: 100%;
  border: 1px solid ${(p) => p.theme.hairline};
  border-radius: 3px;
  padding: 4px 34px 4px 8px;
  min-height: 27px;
  background: ${(p) => p.theme.panel};
  font: 12px ${(p) => p.theme.mono};
  &[data-focused] {
    outline: 2px solid ${(p) => p.theme.action};
    outline-offset: -1px;
  }
  &[data-invalid] {
    border-color: ${(p) => p.theme.stop};
  }
  &[data-disabled] {
    opacity: 0.5;
  }
`;

/** What a field means: shown at the pointer and with the focus, and read out with the field. */
const Help = styled(Text)`
  position: absolute;
  right: 0;
  bottom: calc(100% - 2px);
  z-index: 6;
  max-width: 250px;
  padding: 4px 8px;
  border-radius: 3px;
  background: ${(p) => p.theme.ink};
  color: ${(p) => p.theme.panel};
  font-size: 12px;
  visibility: hidden;
  pointer-events: none;
  ${Field}:hover > &,
  ${Field}:focus-within > & {
    visibility: visible;
    transition: visibility 0s 0.6s;
  }
`;

const Unitary = styled.span`
  position: absolute;
  right: 8px;
  top: 50%;
  transform: translateY(-50%);
  line-height: 1;
  font: 11px ${(p) => p.theme.mono};
  color: ${(p) => p.theme.muted};
  pointer-events: none;
`;

const Wrong = styled(FieldError)`
  grid-column: 1 / -1;
  color: ${(p) => p.theme.stop};
  font-size: 12px;
  margin-bottom: 4px;
`;

export interface NumberProps {
  label: string;
  value: number | null;
  unit: Unit;
  kind?: "length" | "feed" | "angle" | "plain";
  suffix?: string;
  low?: number;
  over?: number;
  high?: number;
  step?: number;
  empty?: string;
  help?: string | undefined;
  error?: string | undefined;
  tight?: boolean;
  /** Without its label beside it, as in a table. */
  bare?: boolean;
  onLive?: (value: number | null) => void;
  onChange: (value: number | null) => void;
}

function rangeText(props: NumberProps, show: (value: number) => string): string {
  if (props.over !== undefined && props.high !== undefined)
    return `more than ${show(props.over)}, up to ${show(props.high)}`;
  if (props.low !== undefined && props.high !== undefined) return `${show(props.low)} to ${show(props.high)}`;
  if (props.over !== undefined) return `more than ${show(props.over)}`;
  return props.low === undefined ? "" : `${show(props.low)} or more`;
}

/** What is wrong with a value, in a sentence, or null. */
export function outOfRange(value: number, props: Pick<NumberProps, "low" | "over" | "high">): boolean {
  return (
    (props.low !== undefined && value < props.low) ||
    (props.over !== undefined && value <= props.over) ||
    (props.high !== undefined && value > props.high)
  );
}

/** A number that takes arithmetic and units, steps with the arrow keys and says its range. */
export function NumberField(props: NumberProps) {
  const feed = props.kind === "feed",
    length = feed || (props.kind ?? "length") === "length";
  const show = (value: number | null) =>
    value === null ? "" : length ? (feed ? feedText : lengthText)(value, props.unit) : String(Number(value.toFixed(4)));
  const [text, setText] = useState(show(props.value));
  const [wrong, setWrong] = useState("");
  const id = useId();
  const trouble = useContext(FieldTrouble);
  const refused = trouble.field === id ? trouble.problem : "";
  const { leave } = trouble;
  useEffect(() => () => leave(id), [leave, id]);
  const editing = useRef(false),
    lived = useRef(false);
  // What is shown while it is typed comes back as the value: Escape goes back to the one before.
  const before = useRef(props.value);
  const shown = show(props.value);
  useEffect(() => {
    // What was refused stays as it was typed.
    if (!editing.current && !refused) {
      setText(shown);
      setWrong("");
    }
  }, [shown, refused]);

  const read = (typed: string): number | null | undefined => {
    if (props.empty !== undefined && !typed.trim()) {
      setWrong("");
      return null;
    }
    try {
      const value = parseNumber(typed, length ? props.unit : null);
      if (outOfRange(value, props)) throw new Error(`give ${rangeText(props, show)}`);
      setWrong("");
      return value;
    } catch (reason) {
      const range = rangeText(props, show);
      const message = (reason as Error).message;
      setWrong(message.startsWith("give") || !range ? message : `${message}: give ${range}`);
      return undefined;
    }
  };
  const type = (typed: string) => {
    if (!editing.current) before.current = props.value;
    editing.current = true;
    setText(typed);
    const value = read(typed);
    // Of what does not parse whole nothing is shown, and so nothing can be kept of its beginning.
    if (props.onLive && (value !== undefined || lived.current)) {
      trouble.ask(id);
      props.onLive(value === undefined ? before.current : value);
    }
    lived.current = value !== undefined;
  };
  const commit = () => {
    const old = editing.current ? show(before.current) : shown;
    editing.current = false;
    const value = read(text);
    if (value === undefined) return;
    setText(show(value));
    if (show(value) === old) return;
    trouble.ask(id);
    props.onChange(value);
  };
  const takeBack = () => {
    editing.current = false;
    trouble.clear();
    setText(shown);
    setWrong("");
    props.onLive?.(props.value);
  };
  const nudge = (event: React.KeyboardEvent) => {
    if (event.key === "Enter") commit();
    if (event.key === "Escape") {
      const old = editing.current ? before.current : props.value;
      editing.current = false;
      setText(show(old));
      setWrong("");
      props.onLive?.(old);
    }
    if (event.key !== "ArrowUp" && event.key !== "ArrowDown") return;
    event.preventDefault();
    const now = read(text) ?? props.value ?? 0;
    const step =
      (props.step ?? 1) * (event.shiftKey ? 10 : 1) * (length && !feed && props.unit === "in" ? 25.4 / 16 : 1);
    const next = Number((now + (event.key === "ArrowUp" ? step : -step)).toFixed(6));
    if (!outOfRange(next, props)) type(show(next));
  };
  const problem = wrong || refused || props.error;
  return (
    <Field
      $tight={props.tight ?? false}
      $bare={props.bare ?? false}
      {...(props.bare ? { "aria-label": props.label } : {})}
      value={text}
      onChange={type}
      onBlur={commit}
      isInvalid={Boolean(problem)}
    >
      {props.bare ? null : <Label>{props.label}</Label>}
      <div style={{ position: "relative" }}>
        <Entry
          style={feed ? { paddingRight: 52 } : undefined}
          onKeyDown={nudge}
          inputMode="decimal"
          placeholder={props.empty ?? ""}
          autoComplete="off"
        />
        <Unitary>{props.suffix ?? (feed ? `${props.unit}/min` : length ? props.unit : "")}</Unitary>
      </div>
      {props.help && <Help slot="description">{props.help}</Help>}
      <Wrong>{problem}</Wrong>
      {(wrong || refused) && (
        <Quiet style={{ gridColumn: "1 / -1", justifySelf: "end" }} onPress={takeBack}>
          Back to {shown === "" ? (props.empty ?? "none") : shown}
        </Quiet>
      )}
    </Field>
  );
}

const Wide = styled(Field)`
  grid-template-columns: 1fr 190px;
`;

export function WordField(props: {
  label: string;
  value: string;
  onChange: (value: string) => void;
  optional?: boolean;
  onBlur?: () => void;
  onKey?: (key: string) => void;
}) {
  return (
    <Wide
      value={props.value}
      onChange={props.onChange}
      {...(props.onBlur ? { onBlur: props.onBlur } : {})}
      onKeyDown={(event) => props.onKey?.(event.key)}
      isInvalid={!props.optional && !props.value.trim()}
    >
      <Label>{props.label}</Label>
      <Entry style={{ paddingRight: 8 }} autoComplete="off" maxLength={120} />
      <Wrong>a name is missing</Wrong>
    </Wide>
  );
}

/** A name that is kept when the field is left or Enter is pressed, not at every letter. */
export function NameField(props: { label: string; value: string; onChange: (value: string) => void }) {
  const [text, setText] = useState(props.value);
  useEffect(() => setText(props.value), [props.value]);
  const commit = () => {
    if (text.trim() && text !== props.value) props.onChange(text.trim());
    else setText(props.value);
  };
  return (
    <WordField
      label={props.label}
      value={text}
      onChange={setText}
      onBlur={commit}
      onKey={(key) => {
        if (key === "Enter") commit();
        if (key === "Escape") setText(props.value);
      }}
    />
  );
}

const Lines = styled(Field)`
  grid-template-columns: 1fr 190px;
  align-items: start;
  padding: 3px 0;
  & textarea {
    width: 100%;
    resize: vertical;
    border: 1px solid ${(p) => p.theme.hairline};
    border-radius: 3px;
    padding: 4px 8px;
    background: ${(p) => p.theme.panel};
    color: inherit;
    font: 12px/16px ${(p) => p.theme.mono};
  }
  & textarea:focus {
    outline: 2px solid ${(p) => p.theme.action};
    outline-offset: -1px;
  }
`;

export const linesOf = (typed: string): string[] => (typed.trimEnd() ? typed.trimEnd().split("\n") : []);

/** Several lines of text, one a row; rows at the end that are empty do not count. */
export function LinesField(props: { label: string; value: readonly string[]; onChange: (lines: string[]) => void }) {
  const [text, setText] = useState(props.value.join("\n"));
  const type = (typed: string) => {
    setText(typed);
    props.onChange(linesOf(typed));
  };
  return (
    <Lines value={text} onChange={type}>
      <Label>{props.label}</Label>
      <TextArea rows={Math.max(1, Math.min(text.split("\n").length, 6))} spellCheck={false} />
    </Lines>
  );
}

/** Text of several lines that is kept when the field is left; Escape brings back what it was. */
export function TextLinesField(props: {
  label: string;
  value: string;
  onLive: (text: string) => void;
  onChange: (text: string) => void;
}) {
  const [text, setText] = useState(props.value);
  // The value follows what is typed: what it was before is kept here.
  const before = useRef(props.value);
  useEffect(() => setText(props.value), [props.value]);
  const back = () => {
    setText(before.current);
    props.onLive(before.current);
  };
  return (
    <Lines
      value={text}
      onChange={(typed) => {
        setText(typed);
        if (typed.trim() !== "") props.onLive(typed);
      }}
      onFocus={() => (before.current = props.value)}
      onBlur={() => {
        if (text.trim() === "") back();
        else if (text !== before.current) props.onChange(text);
      }}
      onKeyDown={(event) => {
        if (event.key === "Escape") back();
      }}
    >
      <Label>{props.label}</Label>
      <TextArea rows={Math.max(2, Math.min(text.split("\n").length, 6))} spellCheck={false} />
    </Lines>
  );
}

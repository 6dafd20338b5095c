/** Posts: those that ship, and the shop's own, changed beside a live preview of what they write. */
import { ChooseFile } from "../parts/ChooseFile";
import { useEffect, useState } from "react";
import { Cell, Column, Row as TableRow, TableBody, TableHeader } from "react-aria-components";
import styled from "styled-components";
import { usePostActions, usePostPreview, usePosts } from "../api/shop";
import type { Post, PostListed } from "../api/types";
import { ConfirmDelete } from "../parts/ConfirmDelete";
import { Deleted } from "../parts/Deleted";
import { Ask, Button, Choose, Foot, Quiet, Said } from "../parts/controls";
import { LinesField, NumberField, WordField } from "../parts/fields";
import { List, Sheet } from "./CuttersPage";
import { TopBar } from "./TopBar";

const Names = styled(List)`
  & td,
  & th {
    text-align: left;
  }
  & td:first-child {
    font-family: ${(p) => p.theme.text};
  }
  & td:last-child {
    white-space: nowrap;
  }
  & td:nth-child(2) {
    text-align: left;
    line-height: inherit;
    font-family: ${(p) => p.theme.text};
  }
  & td:nth-child(3) {
    font-family: ${(p) => p.theme.mono};
  }
`;
const Halves = styled.div`
  display: grid;
  grid-template-columns: 400px 420px;
  gap: 22px;
  & .fields {
    max-height: 560px;
    overflow-y: auto;
    padding: 2px 8px 2px 2px;
  }
  & h3 {
    font-weight: 600;
    margin: 12px 0 4px;
  }
  & pre {
    margin: 0;
    height: 470px;
    overflow: auto;
    background: ${(p) => p.theme.ground};
    border: 1px solid ${(p) => p.theme.hairline};
    padding: 8px 10px;
    font: 11.5px/16px ${(p) => p.theme.mono};
  }
`;

const CHANGES = {
  file: "a file for each cutter",
  pause: "one file, a pause at each change",
  changer: "one file, the machine changes",
};
const YES = { yes: "yes", no: "no" };
const COMMENTS = { brackets: "in brackets ( )", semicolon: "behind a semicolon ;", none: "none" };
type Switch = "arcs" | "full_words";
const LINES: [
  keyof Post & ("start" | "warm_up" | "operation_start" | "operation_end" | "cutter_first" | "cutter_change" | "end"),
  string,
][] = [
  ["start", "At the start of a file"],
  ["cutter_first", "For the first cutter"],
  ["cutter_change", "To change the cutter"],
  ["operation_start", "Before an operation"],
  ["warm_up", "To warm up, once a file"],
  ["operation_end", "After an operation"],
  ["end", "At the end of a file"],
];

export const commentStyle = (post: Post): keyof typeof COMMENTS =>
  !post.comment.on ? "none" : post.comment.open === ";" ? "semicolon" : "brackets";

export function withComments(post: Post, style: keyof typeof COMMENTS): Post {
  const { longest } = post.comment;
  if (style === "none") return { ...post, comment: { ...post.comment, on: false } };
  return {
    ...post,
    comment:
      style === "semicolon"
        ? { on: true, open: ";", close: "", longest }
        : { on: true, open: "(", close: ")", longest },
  };
}

/** A copy of a post to be changed: the next name that is free. */
export function copyOf(post: Post, taken: string[]): Post {
  let number = 1;
  while (taken.includes(`shop-${number}`)) number++;
  return { ...post, id: `shop-${number}`, title: `${post.title}, ours` };
}

function Editor(props: { shown: { key: string | null; data: Post }; onClose: () => void }) {
  const [post, setPost] = useState<Post>(props.shown.data);
  const { save } = usePostActions();
  const { data: preview } = usePostPreview(post);
  const change = (part: Partial<Post>) => setPost((old) => ({ ...old, ...part }));
  const number = (
    label: string,
    value: number | null,
    low: number,
    high: number,
    set: (value: number | null) => void,
    words: { suffix?: string; empty?: string; step?: number } = {},
  ) => (
    <NumberField
      label={label}
      kind="plain"
      unit="mm"
      value={value}
      low={low}
      high={high}
      step={1}
      {...words}
      onLive={set}
      onChange={set}
    />
  );
  const whole = (value: number | null) => (value === null ? null : Math.round(value));
  const flag = (label: string, key: Switch) => (
    <Choose
      label={label}
      value={post[key] ? "yes" : "no"}
      choices={YES}
      onChange={(value) => change({ [key]: value === "yes" })}
    />
  );
  const count = post.line_numbers;
  return (
    <Ask
      wide
      title={props.shown.key === null ? "A new post" : `Change ${props.shown.data.title}`}
      open
      onClose={props.onClose}
    >
      <Halves>
        <div className="fields">
          <WordField label="Title" value={post.title} onChange={(title) => change({ title })} />
          <WordField label="Id" value={post.id} onChange={(id) => change({ id })} />
          <WordField label="File ending" value={post.extension} onChange={(extension) => change({ extension })} />
          <Choose
            label="Unit"
            value={post.unit}
            choices={{ mm: "mm", in: "in" }}
            onChange={(unit) => change({ unit: unit as Post["unit"] })}
          />
          {number(
            "Decimal places",
            post.decimals,
            1,
            6,
            (value) => value !== null && change({ decimals: Math.round(value) }),
          )}
          {number(
            "Of feeds",
            post.feed_decimals,
            0,
            3,
            (value) => value !== null && change({ feed_decimals: Math.round(value) }),
          )}
          <Choose
            label="Cutters"
            value={post.changes}
            choices={CHANGES}
            onChange={(changes) => change({ changes: changes as Post["changes"] })}
          />
          {flag("Arcs", "arcs")}
          {flag("Words that repeat", "full_words")}
          <Choose
            label="Comments"
            value={commentStyle(post)}
            choices={COMMENTS}
            onChange={(style) => setPost(withComments(post, style as keyof typeof COMMENTS))}
          />
          <Choose
            label="Line numbers"
            value={count.on ? "yes" : "no"}
            choices={YES}
            onChange={(value) => change({ line_numbers: { ...count, on: value === "yes" } })}
          />
          {count.on && (
            <>
              {number(
                "First",
                count.first,
                0,
                99999,
                (value) => value !== null && change({ line_numbers: { ...count, first: Math.round(value) } }),
              )}
              {number(
                "Step",
                count.step,
                1,
                1000,
                (value) => value !== null && change({ line_numbers: { ...count, step: Math.round(value) } }),
              )}
              {number(
                "Restart after",
                count.last ?? null,
                10,
                99999999,
                (value) => change({ line_numbers: { ...count, last: whole(value) } }),
                { empty: "never" },
              )}
            </>
          )}
          <Choose
            label="Line ends"
            value={post.line_end}
            choices={{ "\n": "LF", "\r\n": "CR LF" }}
            onChange={(end) => change({ line_end: end as Post["line_end"] })}
          />
          <h3>What the controller takes</h3>
          {number(
            "Characters in a line",
            post.longest_line,
            20,
            1000,
            (value) => change({ longest_line: whole(value) }),
            { empty: "any" },
          )}
          {number("Lines in a file", post.most_lines, 200, 1e8, (value) => change({ most_lines: whole(value) }), {
            empty: "any",
            step: 1000,
          })}
          {number(
            "Kilobytes in a file",
            post.most_kilobytes,
            16,
            4e6,
            (value) => change({ most_kilobytes: whole(value) }),
            { empty: "any", step: 64 },
          )}
          <h3>Lines</h3>
          <Said $level="muted">{"They may hold {spindle}, {spindle_wait}, {tool}, {cutter} and {operation}."}</Said>
          {LINES.map(([key, label]) => (
            <LinesField key={key} label={label} value={post[key]} onChange={(lines) => change({ [key]: lines })} />
          ))}
          {(["mist", "flood", "off"] as const).map((key) => (
            <LinesField
              key={key}
              label={key === "off" ? "Coolant off" : `Coolant, ${key}`}
              value={post.coolant[key] ?? []}
              onChange={(lines) => change({ coolant: { ...post.coolant, [key]: lines } })}
            />
          ))}
        </div>
        <div style={{ display: "grid", gap: 8, alignContent: "start" }}>
          <b>What it writes</b>
          <pre role="region" aria-label="Preview" tabIndex={0}>
            {preview?.text}
          </pre>
          {preview?.problem ? (
            <Said role="alert">{preview.problem}</Said>
          ) : (
            preview && (
              <Said $level="muted" role="status">
                Verified: the text reads back as planned.
              </Said>
            )
          )}
          {save.error && <Said role="alert">{save.error.message}</Said>}
        </div>
      </Halves>
      <Foot>
        <Button onPress={props.onClose}>Cancel</Button>
        <Button
          $main
          isDisabled={Boolean(preview?.problem)}
          onPress={() => save.mutate({ key: props.shown.key, data: post }, { onSuccess: props.onClose })}
        >
          Save
        </Button>
      </Foot>
    </Ask>
  );
}

export function PostsPage() {
  const { data: posts, error } = usePosts();
  const { remove, save } = usePostActions();
  const [open, setOpen] = useState<{ key: string | null; data: Post } | null>(null);
  const [gone, setGone] = useState<PostListed | null>(null);
  const [problem, setProblem] = useState("");
  useEffect(() => {
    document.title = "Posts · Nephos";
  }, []);
  const taken = (posts ?? []).map((item) => item.data.id);
  const bring = (file: File) => {
    setProblem("");
    file
      .text()
      .then((text) => save.mutateAsync({ key: null, data: JSON.parse(text) as Post }))
      .catch((reason: Error) =>
        setProblem(reason instanceof SyntaxError ? `${file.name} is no JSON file` : reason.message),
      );
  };
  const fresh = posts?.find((item) => item.data.id === "rs274-metric")?.data;
  return (
    <>
      <TopBar page="posts">
        <Deleted kind="post" />
        <ChooseFile acceptedFileTypes={[".json"]} onSelect={(files) => files?.[0] && bring(files[0])}>
          <Button>Import a post…</Button>
        </ChooseFile>
        <Button
          $main
          isDisabled={!fresh}
          onPress={() => fresh && setOpen({ key: null, data: { ...copyOf(fresh, taken), title: "Our own post" } })}
        >
          Add a post
        </Button>
      </TopBar>
      <Sheet>
        {(error ?? problem) && <Said role="alert">{error?.message ?? problem}</Said>}
        <Names aria-label="Posts">
          <TableHeader>
            <Column isRowHeader>Title</Column>
            <Column>Cutters</Column>
            <Column>Id</Column>
            <Column>Unit</Column>
            <Column>Arcs</Column>
            <Column>Ending</Column>
            <Column>Largest file</Column>
            <Column> </Column>
          </TableHeader>
          <TableBody items={(posts ?? []).map((item) => ({ ...item, id: item.data.id }))}>
            {(item) => (
              <TableRow id={item.id}>
                <Cell>{item.data.title}</Cell>
                <Cell>{CHANGES[item.data.changes]}</Cell>
                <Cell>{item.id}</Cell>
                <Cell>{item.data.unit}</Cell>
                <Cell>{item.data.arcs ? "yes" : "no"}</Cell>
                <Cell>.{item.data.extension}</Cell>
                <Cell>
                  {item.data.most_lines
                    ? `${item.data.most_lines} lines`
                    : item.data.most_kilobytes
                      ? `${item.data.most_kilobytes} kB`
                      : "any"}
                </Cell>
                <Cell>
                  {!item.shipped && (
                    <Quiet
                      aria-label={`Change ${item.data.title}`}
                      onPress={() => setOpen({ key: item.id, data: item.data })}
                    >
                      Change
                    </Quiet>
                  )}
                  <Quiet
                    aria-label={`Copy ${item.data.title}`}
                    onPress={() => setOpen({ key: null, data: copyOf(item.data, taken) })}
                  >
                    Copy
                  </Quiet>
                  {!item.shipped && (
                    <Quiet aria-label={`Delete ${item.data.title}`} onPress={() => setGone(item)}>
                      Delete
                    </Quiet>
                  )}
                  <a href={`/api/posts/${item.id}/file`} download>
                    File
                  </a>
                </Cell>
              </TableRow>
            )}
          </TableBody>
        </Names>
        <p style={{ marginTop: 10 }}>
          Posts that ship can be copied, not changed. A job keeps a post as it was when it took it. Only what the reader
          can read back is kept.
        </p>
      </Sheet>
      {open && <Editor key={open.key ?? "new"} shown={open} onClose={() => setOpen(null)} />}
      <ConfirmDelete
        name={gone?.data.title ?? null}
        text="Jobs that took it keep it. It can be brought back for 30 days (Deleted…)."
        onDelete={() => gone && remove.mutate(gone.data.id)}
        onClose={() => setGone(null)}
      />
    </>
  );
}

/** A document of the help: Markdown as elements of the page, with an id for each heading and each row of a table. */
import type { Element, Nodes } from "hast";
import { Link } from "react-aria-components";
import Markdown, { type Components } from "react-markdown";
import remarkGfm from "remark-gfm";
import styled from "styled-components";
import { PAGES, anchorOf } from "./pages";

export const Article = styled.article`
  max-width: 900px;
  line-height: 1.5;
  & h1 {
    font-size: 20px;
    margin: 0 0 12px;
  }
  & h2 {
    font-size: 15px;
    margin: 22px 0 6px;
  }
  & h3 {
    font-size: 13px;
    margin: 16px 0 4px;
  }
  & p,
  & ul,
  & ol {
    margin: 0 0 10px;
  }
  & ul,
  & ol {
    padding-left: 20px;
  }
  & code {
    font-family: "Spline Sans Mono", monospace;
    font-size: 12px;
  }
  & pre {
    overflow-x: auto;
    padding: 8px 10px;
    border: 1px solid ${(p) => p.theme.hairline};
  }
  & table {
    border-collapse: collapse;
    margin-bottom: 12px;
    width: 100%;
  }
  & th,
  & td {
    text-align: left;
    vertical-align: top;
    padding: 4px 10px 4px 0;
    border-bottom: 1px solid ${(p) => p.theme.hairline};
  }
  & section td:first-child {
    width: 220px;
  }
  & [data-here] {
    scroll-margin-top: 12px;
    background: ${(p) => p.theme.chosen};
  }
  & a {
    color: ${(p) => p.theme.action};
  }
`;

/** The text of a node and all in it. */
function textOf(node: Nodes | undefined): string {
  if (!node) return "";
  if (node.type === "text") return node.value;
  return "children" in node ? node.children.map(textOf).join("") : "";
}

/** The codes in the first cell of a row, such as those of findings. */
function codesOf(row: Element | undefined): string {
  const cell = row?.children.find((item): item is Element => item.type === "element");
  const codes = cell?.children.filter((item) => item.type === "element" && item.tagName === "code") ?? [];
  return codes.map(textOf).join(" ");
}

const PARTS: Components = {
  h1: ({ children }) => <h1>{children}</h1>,
  h2: ({ node, children }) => <h2 id={anchorOf(textOf(node))}>{children}</h2>,
  h3: ({ node, children }) => <h3 id={anchorOf(textOf(node))}>{children}</h3>,
  tr: ({ node, children }) => <tr data-codes={codesOf(node) || undefined}>{children}</tr>,
  // Pictures of the application show what is on the screen beside the help.
  img: () => null,
  a: ({ href, children }) => {
    const page = /^(?:docs\/)?([a-z-]+)\.md(#.*)?$/.exec(href ?? "");
    if (!page) return <span>{children}</span>;
    // Documents name one another by their files; the help shows their titles.
    const title = String(children).endsWith(".md") ? PAGES.find((item) => item.key === page[1])?.title : undefined;
    return <Link href={`/help/${page[1] ?? ""}${page[2] ?? ""}`}>{title ?? children}</Link>;
  },
};

export function Document(props: { text: string }) {
  return (
    <Markdown remarkPlugins={[remarkGfm]} components={PARTS}>
      {props.text}
    </Markdown>
  );
}

/** The pages of the help: the documents in docs/ that are written for machinists, in sections that can be searched. */

const documents = import.meta.glob<string>(
  ["../../../docs/*.md", "!../../../docs/architecture.md", "!../../../docs/performance.md"],
  { query: "?raw", import: "default", eager: true },
);

/** The order in which a newcomer reads them; others follow. */
const ORDER = [
  "running",
  "meshes",
  "two-faces",
  "four-faces",
  "rotary",
  "tiles",
  "reliefs",
  "findings",
  "machines",
  "posts",
  "jobfile",
  "report",
];

export interface HelpSection {
  page: string;
  title: string;
  /** Empty at the start of a page. */
  anchor: string;
  text: string;
}
export interface HelpPage {
  key: string;
  title: string;
  text: string;
}

/** The id of a heading, or of a row of a table that begins with a code. */
export function anchorOf(heading: string): string {
  return heading
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-|-$/g, "");
}

/** Pages made of documents, by their names. */
export function pagesOf(texts: Record<string, string>): HelpPage[] {
  const place = (key: string) => (ORDER.includes(key) ? ORDER.indexOf(key) : ORDER.length);
  return Object.entries(texts)
    .map(([key, text]) => ({ key, title: /^# (.+)$/m.exec(text)?.[1] ?? key, text }))
    .sort((a, b) => place(a.key) - place(b.key) || a.key.localeCompare(b.key));
}

export const PAGES = pagesOf(
  Object.fromEntries(Object.entries(documents).map(([path, text]) => [path.replace(/^.*\/|\.md$/g, ""), text])),
);

/** A page in its sections: one a heading. */
export function sectionsOf(page: HelpPage): HelpSection[] {
  return page.text.split(/^(?=#{1,4} )/m).flatMap((part) => {
    const [head = "", ...rest] = part.split("\n");
    const title = head.replace(/^#+ /, "").replace(/[`*]/g, "");
    const first = head.startsWith("# ");
    return part.trim() ? [{ page: page.key, title, anchor: first ? "" : anchorOf(title), text: rest.join("\n") }] : [];
  });
}

/** The page that explains a finding: the findings, or the page of a kind of job. */
export function pageOfFinding(code: string): string {
  return PAGES.find((page) => page.key !== "findings" && page.text.includes(`| \`${code}\``))?.key ?? "findings";
}

/** The sections that have all words that are looked for, those with one in the title first. */
export function searched(sections: HelpSection[], find: string): HelpSection[] {
  const words = find.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return [];
  const inTitle = (section: HelpSection) => words.some((word) => section.title.toLowerCase().includes(word));
  return sections
    .filter((section) => {
      const all = `${section.title}\n${section.text}`.toLowerCase();
      return words.every((word) => all.includes(word));
    })
    .sort((a, b) => Number(inTitle(b)) - Number(inTitle(a)));
}

/** Some of the text around the first word that was looked for. */
export function excerpt(text: string, find: string): string {
  const plain = text
    .replace(/!?\[([^\]]*)\]\([^)]*\)/g, "$1")
    .replace(/[`*|#]/g, "")
    .replace(/\s+/g, " ");
  const word = find.toLowerCase().split(/\s+/).find(Boolean) ?? "";
  const at = Math.max(plain.toLowerCase().indexOf(word), 0);
  const from = Math.max(at - 40, 0);
  // Whole words.
  const part = plain.slice(from, at + 90).replace(/\s\S*$/, "");
  return `${from > 0 ? "… " : ""}${(from > 0 ? part.replace(/^\S*\s/, "") : part).trim()} …`;
}

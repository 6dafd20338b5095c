/** The help: its pages on the left with a search, one of them on the right. */
import { useDeferredValue, useEffect, useMemo, useState } from "react";
import { Link } from "react-aria-components";
import { Navigate, useLocation, useParams } from "react-router";
import styled from "styled-components";
import { useStrategies } from "../api/shop";
import { TopBar } from "../pages/TopBar";
import { SearchBox } from "../parts/SearchBox";
import { Article, Document } from "./Document";
import { PAGES, excerpt, pageOfFinding, searched, sectionsOf, type HelpSection } from "./pages";
import { STRATEGIES, StrategyPages } from "./StrategyPages";

const Columns = styled.div`
  display: grid;
  grid-template-columns: 260px 1fr;
  gap: 28px;
  padding: 18px 24px;
  & nav {
    position: sticky;
    top: 18px;
    align-self: start;
    max-height: calc(100vh - 80px);
    overflow-y: auto;
    display: flex;
    flex-direction: column;
    gap: 4px;
  }
  & nav a {
    display: block;
    padding: 3px 8px;
    color: ${(p) => p.theme.ink};
    text-decoration: none;
  }
  & nav a[aria-current] {
    background: ${(p) => p.theme.chosen};
    font-weight: 600;
  }
  & nav small {
    display: block;
    color: ${(p) => p.theme.muted};
    font-weight: 400;
  }
`;

const titleOf = (key: string) => PAGES.find((item) => item.key === key)?.title ?? "Strategies";

/** The sections of all pages, the strategies among them. */
function useSections(): HelpSection[] {
  const { data } = useStrategies();
  return useMemo(
    () => [
      ...PAGES.flatMap(sectionsOf),
      ...(data ?? []).map((item) => ({
        page: STRATEGIES,
        title: item.title,
        anchor: item.key,
        text: `${item.summary} ${Object.values(item.schema.properties)
          .map((field) => `${field.title} ${field.description ?? ""}`)
          .join(" ")}`,
      })),
    ],
    [data],
  );
}

/** Bring the place that the address names into view, and mark it. */
function useAnchor(page: string, ready: boolean) {
  const { hash } = useLocation();
  useEffect(() => {
    const name = hash.slice(1);
    const found =
      name && (document.getElementById(name) ?? document.querySelector(`[data-codes~="${CSS.escape(name)}"]`));
    if (!found) return;
    found.setAttribute("data-here", "");
    found.scrollIntoView({ block: "start" });
    return () => found.removeAttribute("data-here");
  }, [hash, page, ready]);
}

export function HelpPage() {
  const key = useParams().page ?? PAGES[0]?.key ?? STRATEGIES;
  const { hash } = useLocation();
  const code = key === "findings" ? hash.slice(1) : "";
  const [find, setFind] = useState("");
  const wanted = useDeferredValue(find);
  const sections = useSections();
  const hits = searched(sections, wanted).slice(0, 40);
  const page = PAGES.find((item) => item.key === key);
  const title = titleOf(key);
  useEffect(() => {
    document.title = `${title} · Help · Nephos`;
  }, [title]);
  useAnchor(
    key,
    sections.some((item) => item.page === STRATEGIES),
  );
  const explained = code ? pageOfFinding(code) : key;
  if (explained !== key) return <Navigate replace to={`/help/${explained}#${code}`} />;
  return (
    <>
      <TopBar page="help">{null}</TopBar>
      <Columns>
        <nav aria-label="Pages of the help">
          <SearchBox label="Search the help" value={find} onChange={setFind} />
          {wanted.trim() !== "" && hits.length === 0 && <p role="status">Nothing has “{wanted}” in it.</p>}
          {wanted.trim() !== ""
            ? hits.map((hit) => (
                <Link key={`${hit.page}#${hit.anchor}`} href={`/help/${hit.page}${hit.anchor && `#${hit.anchor}`}`}>
                  {hit.anchor && titleOf(hit.page) !== hit.title ? `${titleOf(hit.page)} · ${hit.title}` : hit.title}
                  <small>{excerpt(hit.text, wanted)}</small>
                </Link>
              ))
            : [...PAGES, { key: STRATEGIES, title: "Strategies" }].map((item) => (
                <Link key={item.key} href={`/help/${item.key}`} aria-current={item.key === key ? "page" : undefined}>
                  {item.title}
                </Link>
              ))}
        </nav>
        <main>
          <Article>
            {page ? (
              <Document text={page.text} />
            ) : key === STRATEGIES ? (
              <StrategyPages />
            ) : (
              <p>There is no such page of the help: choose one on the left.</p>
            )}
          </Article>
        </main>
      </Columns>
    </>
  );
}

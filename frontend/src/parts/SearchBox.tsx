/** A field for words to look for. */
import { Input, SearchField } from "react-aria-components";
import styled from "styled-components";

const Search = styled(SearchField)`
  & input {
    width: 170px;
    max-width: 100%;
    padding: 5px 9px;
    border: 1px solid ${(p) => p.theme.hairline};
    border-radius: 3px;
    background: ${(p) => p.theme.panel};
    color: ${(p) => p.theme.ink};
    font: inherit;
    outline: none;
  }
  & input[data-focused] {
    outline: 2px solid ${(p) => p.theme.action};
    outline-offset: 1px;
  }
`;

export function SearchBox(props: { label: string; value: string; onChange: (words: string) => void }) {
  return (
    <Search aria-label={props.label} value={props.value} onChange={props.onChange}>
      <Input placeholder={props.label} />
    </Search>
  );
}

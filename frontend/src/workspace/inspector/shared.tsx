/** What the parts of the inspector share. */
import { Button as AriaButton, Disclosure, DisclosurePanel, Heading } from "react-aria-components";
import styled from "styled-components";
import { NumberField } from "../../parts/fields";

export const Panel = styled.section`
  grid-area: inspector;
  position: relative;
  overflow-y: auto;
  min-height: 0;
  padding: 12px 14px;
  background: ${(p) => p.theme.panel};
  border-left: 1px solid ${(p) => p.theme.hairline};
  & > h2 {
    font-weight: 600;
    font-size: 14px;
  }
  & > .sub {
    color: ${(p) => p.theme.muted};
    margin-bottom: 8px;
  }
`;
const Fold = styled(Disclosure)`
  border-top: 1px solid ${(p) => p.theme.hairline};
  & h3 button {
    width: 100%;
    display: flex;
    justify-content: space-between;
    border: 0;
    background: none;
    padding: 8px 0;
    font-weight: 600;
    cursor: pointer;
    outline: none;
    &[data-focus-visible] {
      outline: 2px solid ${(p) => p.theme.action};
    }
  }
  & h3 span {
    font: 11.5px ${(p) => p.theme.mono};
    color: ${(p) => p.theme.muted};
    font-weight: 400;
    max-width: 170px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
`;
export function Folded(props: {
  title: string;
  short: string;
  onOpen?: (open: boolean) => void;
  children: React.ReactNode;
}) {
  return (
    <Fold {...(props.onOpen ? { onExpandedChange: props.onOpen } : {})}>
      <Heading level={3}>
        <AriaButton slot="trigger">
          {props.title}
          <span>{props.short}</span>
        </AriaButton>
      </Heading>
      <DisclosurePanel>{props.children}</DisclosurePanel>
    </Fold>
  );
}

export const Buttons = styled.div`
  display: flex;
  gap: 4px;
  flex-wrap: wrap;
  margin: 3px 0 7px;
  & button {
    border: 1px solid ${(p) => p.theme.hairline};
    padding: 3px 7px;
  }
`;

export const Threes = styled(Buttons)`
  display: grid;
  grid-template-columns: repeat(3, 1fr);
`;

export const Head = styled.h3`
  margin-top: 10px;
  padding-top: 8px;
  border-top: 1px solid ${(p) => p.theme.hairline};
  font-weight: 600;
  display: flex;
  justify-content: space-between;
  & span {
    font: 11.5px ${(p) => p.theme.mono};
    color: ${(p) => p.theme.muted};
  }
`;

export const Note = styled.p`
  color: ${(p) => p.theme.muted};
  font-size: 12px;
  margin: 2px 0 5px;
`;

/** The angle about X at which a side of the stock lies up, in degrees. */
export function AngleAboutX(props: {
  value: number;
  onLive?: (value: number) => void;
  onChange: (value: number) => void;
}) {
  return (
    <NumberField
      label="Angle about X"
      unit="mm"
      kind="plain"
      value={props.value}
      low={-360}
      high={360}
      help="degrees; 90 brings the back up"
      onLive={(value) => value !== null && props.onLive?.(value)}
      onChange={(value) => value !== null && props.onChange(value)}
    />
  );
}

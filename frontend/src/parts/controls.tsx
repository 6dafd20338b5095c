/** The controls of the application, all from React Aria, dressed by the theme. */
import { type ReactNode, useEffect, useRef } from "react";
import {
  Button as AriaButton,
  Dialog,
  Heading,
  ListBox,
  ListBoxItem,
  Modal,
  ModalOverlay,
  Popover,
  Select as AriaSelect,
  SelectValue,
  ToggleButton,
  ToggleButtonGroup,
  Tooltip,
  TooltipTrigger,
  type ButtonProps,
  type Key,
} from "react-aria-components";
import styled, { css } from "styled-components";

const focus = css`
  outline: none;
  &[data-focus-visible] {
    outline: 2px solid ${(p) => p.theme.action};
    outline-offset: 1px;
  }
`;

export const Button = styled(AriaButton).attrs<ButtonProps & { $main?: boolean; $danger?: boolean }>((p) => ({
  type: p.$main ? "submit" : "button",
}))<{ $main?: boolean; $danger?: boolean }>`
  ${focus}
  border: 1px solid ${(p) => (p.$main ? p.theme.action : p.theme.hairline)};
  border-radius: 3px;
  padding: 5px 11px;
  cursor: pointer;
  background: ${(p) => (p.$main ? p.theme.action : p.theme.panel)};
  color: ${(p) => (p.$main ? p.theme.onAction : p.$danger ? p.theme.stop : p.theme.ink)};
  white-space: nowrap;
  &[data-hovered] {
    border-color: ${(p) => p.theme.action};
  }
  &[data-disabled] {
    opacity: 0.45;
    cursor: default;
  }
`;

export const Quiet = styled(AriaButton)`
  ${focus}
  border: 0;
  background: none;
  padding: 3px 5px;
  border-radius: 3px;
  cursor: pointer;
  color: ${(p) => p.theme.muted};
  &[data-hovered] {
    color: ${(p) => p.theme.ink};
    background: ${(p) => p.theme.chosen};
  }
  &[data-disabled] {
    opacity: 0.35;
    cursor: default;
  }
`;

export const ToggleQuiet = styled(ToggleButton)`
  ${focus}
  border: 0;
  background: none;
  padding: 3px 7px;
  border-radius: 3px;
  cursor: pointer;
  color: ${(p) => p.theme.muted};
  &[data-hovered] {
    color: ${(p) => p.theme.ink};
    background: ${(p) => p.theme.chosen};
  }
  &[data-selected] {
    color: ${(p) => p.theme.onAction};
    background: ${(p) => p.theme.action};
  }
  &[data-disabled] {
    opacity: 0.35;
    cursor: default;
  }
`;

const Bar = styled(ToggleButtonGroup)`
  display: flex;
  border: 1px solid ${(p) => p.theme.hairline};
  border-radius: 3px;
  background: ${(p) => p.theme.panel};
  overflow: hidden;
`;

const Choice = styled(ToggleButton)`
  ${focus}
  border: 0;
  background: none;
  padding: 4px 10px;
  cursor: pointer;
  border-right: 1px solid ${(p) => p.theme.hairline};
  &:last-child {
    border-right: 0;
  }
  &[data-hovered] {
    background: ${(p) => p.theme.chosen};
  }
  &[data-selected] {
    background: ${(p) => p.theme.ink};
    color: ${(p) => p.theme.panel};
  }
  &[data-disabled] {
    opacity: 0.4;
  }
`;

export function Segments<T extends string>(props: {
  label: string;
  value: T;
  choices: Record<T, string>;
  onChange: (value: T) => void;
  off?: T[];
}) {
  return (
    <Bar
      aria-label={props.label}
      selectionMode="single"
      disallowEmptySelection
      selectedKeys={[props.value]}
      onSelectionChange={(keys) => props.onChange([...keys][0] as T)}
    >
      {(Object.entries(props.choices) as [T, string][]).map(([key, title]) => (
        <Choice key={key} id={key} isDisabled={props.off?.includes(key) ?? false}>
          {title}
        </Choice>
      ))}
    </Bar>
  );
}

export const Row = styled.div<{ $roomy?: boolean }>`
  display: grid;
  grid-template-columns: ${(p) => (p.$roomy ? "84px 1fr" : "1fr 158px")};
  align-items: center;
  gap: 2px 8px;
  min-height: 33px;
`;

export const Said = styled.p<{ $level?: "stop" | "muted" }>`
  grid-column: 1 / -1;
  color: ${(p) => (p.$level === "muted" ? p.theme.muted : p.theme.stop)};
  font-size: 12px;
`;

const Box = styled(AriaButton)`
  ${focus}
  width: 100%;
  display: flex;
  justify-content: space-between;
  gap: 6px;
  text-align: left;
  padding: 4px 8px;
  min-height: 27px;
  cursor: pointer;
  border: 1px solid ${(p) => p.theme.hairline};
  border-radius: 3px;
  background: ${(p) => p.theme.panel};
  font: 12px ${(p) => p.theme.mono};
  overflow: hidden;
  & > span:first-child {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
`;

const List = styled(ListBox)`
  background: ${(p) => p.theme.panel};
  border: 1px solid ${(p) => p.theme.hairline};
  border-radius: 3px;
  padding: 3px;
  max-height: 300px;
  overflow: auto;
  min-width: 160px;
  box-shadow: 0 3px 12px rgb(0 0 0 / 14%);
  outline: none;
  color: ${(p) => p.theme.ink};
`;

const Item = styled(ListBoxItem)`
  padding: 5px 9px;
  border-radius: 2px;
  cursor: pointer;
  outline: none;
  font-size: 12.5px;
  &[data-focused] {
    background: ${(p) => p.theme.chosen};
  }
  &[data-selected] {
    font-weight: 600;
  }
`;

export function Choose<K extends string>(props: {
  label: string;
  value: K;
  choices: Partial<Record<K, string>>;
  onChange: (key: K) => void;
  wide?: boolean;
  /** With more room for long names. */
  roomy?: boolean;
}) {
  const field = (
    <AriaSelect
      aria-label={props.label}
      selectedKey={props.value}
      onSelectionChange={(key: Key | null) => key !== null && props.onChange(key as K)}
    >
      <Box>
        <SelectValue />
        <span aria-hidden>▾</span>
      </Box>
      <Popover>
        <List>
          {Object.entries<string | undefined>(props.choices).map(([key, title]) => (
            <Item key={key} id={key}>
              {title}
            </Item>
          ))}
        </List>
      </Popover>
    </AriaSelect>
  );
  return props.wide ? (
    field
  ) : (
    <Row $roomy={props.roomy ?? false}>
      <span>{props.label}</span>
      {field}
    </Row>
  );
}

const Veil = styled(ModalOverlay)`
  position: fixed;
  inset: 0;
  background: rgb(20 26 30 / 35%);
  display: grid;
  place-items: center;
  z-index: 20;
`;

const Sheet = styled(Modal)<{ $wide: boolean }>`
  background: ${(p) => p.theme.panel};
  color: ${(p) => p.theme.ink};
  border: 1px solid ${(p) => p.theme.hairline};
  border-radius: 4px;
  padding: 18px 20px;
  min-width: 380px;
  max-width: ${(p) => (p.$wide ? "900px" : "560px")};
  outline: none;
  & section {
    outline: none;
    display: grid;
    gap: 12px;
  }
  & h2 {
    font-size: 15px;
    font-weight: 600;
  }
`;

/** What a dialog holds: focus starts in its first field, and Enter presses its main button. */
function DialogBody(props: { children: ReactNode }) {
  const form = useRef<HTMLFormElement>(null);
  useEffect(() => {
    const first = form.current?.querySelector<HTMLInputElement>("input:not([type=hidden])");
    first?.focus();
    first?.select();
  }, []);
  return (
    <Contents ref={form} noValidate onSubmit={(event) => event.preventDefault()}>
      {props.children}
    </Contents>
  );
}

export function Ask(props: { title: string; open: boolean; onClose: () => void; children: ReactNode; wide?: boolean }) {
  return (
    <Veil isOpen={props.open} onOpenChange={(open) => !open && props.onClose()} isDismissable>
      <Sheet $wide={props.wide ?? false}>
        <Dialog>
          <Heading slot="title" level={2}>
            {props.title}
          </Heading>
          <DialogBody>{props.children}</DialogBody>
        </Dialog>
      </Sheet>
    </Veil>
  );
}

const Tip = styled(Tooltip)`
  background: ${(p) => p.theme.ink};
  color: ${(p) => p.theme.panel};
  padding: 5px 9px;
  border-radius: 3px;
  font-size: 12px;
  max-width: 280px;
  outline: none;
`;
const Term = styled(AriaButton)`
  ${focus}
  border: 0;
  background: none;
  padding: 0;
  font: inherit;
  color: inherit;
  cursor: help;
  position: relative;
  z-index: 1;
`;

/** Something with an explanation, which pointer, keyboard and screen reader reach. */
export function Explained(props: { text: string; children: ReactNode }) {
  return (
    <TooltipTrigger delay={300}>
      <Term>{props.children}</Term>
      <Tip>{props.text}</Tip>
    </TooltipTrigger>
  );
}

const Contents = styled.form`
  display: contents;
`;

export const Foot = styled.div`
  display: flex;
  gap: 8px;
  justify-content: flex-end;
  margin-top: 4px;
`;

/** The numbers and words of a source or a shape, as the server describes them. */
import type { SettingField } from "../../../api/types";
import { Choose } from "../../../parts/controls";
import { NumberField, TextLinesField } from "../../../parts/fields";

type Values = Record<string, unknown>;

function range(field: SettingField) {
  return {
    ...(field.exclusiveMinimum !== undefined ? { over: field.exclusiveMinimum } : {}),
    ...(field.minimum !== undefined ? { low: field.minimum } : {}),
    high: field.maximum ?? (field.exclusiveMaximum !== undefined ? field.exclusiveMaximum - 0.001 : 100000),
  };
}

export function KindFields(props: {
  fields: Record<string, SettingField>;
  values: Values;
  unit: "mm" | "in";
  /** Names and titles to choose from, for fields that are chosen. */
  chosen: Record<string, Record<string, string>>;
  onLive: (change: Values) => void;
  onChange: (change: Values, note: string) => void;
}) {
  return Object.entries(props.fields).map(([name, field]) => {
    const title = field.title;
    const value = props.values[name];
    const choices = props.chosen[name] ?? (field.enum ? Object.fromEntries(field.enum.map((key) => [key, key])) : null);
    if (choices)
      return (
        <Choose
          key={name}
          label={name === "piece" ? "Of" : title}
          value={String(value)}
          choices={choices}
          onChange={(next) => props.onChange({ [name]: next }, title)}
        />
      );
    if (typeof value === "string")
      return name === "text" ? (
        <TextLinesField
          key={name}
          label={title}
          value={value}
          onLive={(next) => props.onLive({ [name]: next })}
          onChange={(next) => props.onChange({ [name]: next }, title.toLowerCase())}
        />
      ) : null;
    if (typeof value !== "number") return null;
    const angle = field.measure === "angle";
    const plain = field.measure === "plain" || field.type === "integer";
    const next = (typed: number) => (field.type === "integer" ? Math.round(typed) : typed);
    return (
      <NumberField
        key={name}
        label={title}
        {...(angle ? { kind: "angle" as const, suffix: "°" } : plain ? { kind: "plain" as const } : {})}
        unit={props.unit}
        value={value}
        {...range(field)}
        step={plain && field.type !== "integer" ? 0.1 : angle ? 5 : 1}
        help={field.description}
        onLive={(typed) => typed !== null && props.onLive({ [name]: next(typed) })}
        onChange={(typed) => typed !== null && props.onChange({ [name]: next(typed) }, title.toLowerCase())}
      />
    );
  });
}

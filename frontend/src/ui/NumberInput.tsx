import { clsx } from "clsx";

import { useInPlace } from "../words/useInPlace";
import { type Bounds, boundsInWords, numberIn } from "./numbers";

interface Common extends Bounds {
  label?: string;
  unit?: string;
  className?: string;
  placeholder?: string;
}

interface Needed extends Common {
  optional?: false;
  value: number;
  /** For each figure on the way, as it is typed. */
  onChange?: (value: number) => void;
  /** Once, when the field is left or Enter is pressed. */
  onSave?: (value: number) => void;
}

interface Optional extends Common {
  /** An empty field is an answer. */
  optional: true;
  value: number | null;
  onChange?: (value: number | null) => void;
  onSave?: (value: number | null) => void;
}

/**
 * A field for a number, with a point or a comma. What is no number, or is out of bounds, stays as it was typed and is
 * marked; the last value that could be used holds until then. Escape brings that back.
 */
export function NumberInput(props: Needed | Optional) {
  const { label, unit, className, placeholder } = props;
  const change = props.onChange as ((value: number | null) => void) | undefined;
  const save = props.onSave as ((value: number | null) => void) | undefined;
  const isEmpty = (text: string) => props.optional === true && text.trim() === "";
  const isGood = (text: string) => isEmpty(text) || numberIn(text, props) !== null;
  const field = useInPlace({
    onKeep: (typed) => {
      if (!isGood(typed)) return;
      const number = numberIn(typed, props);
      if (number !== props.value) save?.(number);
      field.clear();
    },
  });
  const shown = field.typed ?? (props.value === null ? "" : String(props.value));
  const good = isGood(shown);
  return (
    <input
      inputMode={props.whole ? "numeric" : "decimal"}
      aria-label={label}
      aria-invalid={!good}
      className={clsx(className, !good && "cell-wrong")}
      placeholder={placeholder}
      title={good ? undefined : boundsInWords(props, unit)}
      value={shown}
      {...field.events}
      onChange={(event) => {
        field.events.onChange(event);
        const typed = event.target.value;
        if (isGood(typed)) change?.(numberIn(typed, props));
      }}
    />
  );
}

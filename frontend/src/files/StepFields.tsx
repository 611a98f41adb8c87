import type { SheetField, WordingStep } from "../api/client";
import { readPairs, readWords, writePairs } from "./wording";

const FIELD = "w-full border border-base-300 bg-base-100 px-1.5 py-0.5";

interface Props {
  step: WordingStep;
  fields: readonly SheetField[];
  onChange: (step: WordingStep) => void;
}

/** What a step needs to know. */
export function StepFields({ step, fields, onChange }: Props) {
  switch (step.do) {
    case "replace":
      return (
        <div className="grid gap-1">
          <input
            className={FIELD}
            aria-label="Replace"
            placeholder="what"
            value={step.find}
            onChange={(event) => onChange({ ...step, find: event.target.value })}
          />
          <input
            className={FIELD}
            aria-label="by"
            placeholder="by nothing"
            value={step.by}
            onChange={(event) => onChange({ ...step, by: event.target.value })}
          />
          <div className="flex items-center gap-2">
            <select
              aria-label="How"
              className={FIELD}
              value={step.how}
              onChange={(event) => onChange({ ...step, how: event.target.value as typeof step.how })}
            >
              <option value="text">as it stands</option>
              <option value="word">whole words</option>
              <option value="expression">regular expression</option>
            </select>
            <label className="flex shrink-0 items-center gap-1">
              <input
                type="checkbox"
                checked={!step.match_case}
                onChange={(event) => onChange({ ...step, match_case: !event.target.checked })}
              />{" "}
              any case
            </label>
          </div>
        </div>
      );
    case "case":
      return (
        <div className="grid gap-1">
          <div className="flex gap-1">
            <select
              aria-label="Case"
              className={FIELD}
              value={step.to}
              onChange={(event) => onChange({ ...step, to: event.target.value as typeof step.to })}
            >
              <option value="title">as a title</option>
              <option value="sentence">as a sentence</option>
              <option value="upper">ALL CAPITALS</option>
              <option value="lower">all small</option>
            </select>
            <select
              aria-label="Language"
              className={FIELD}
              value={step.language}
              onChange={(event) => onChange({ ...step, language: event.target.value as typeof step.language })}
            >
              <option value="en">English</option>
              <option value="fr">French</option>
              <option value="de">German</option>
              <option value="it">Italian</option>
            </select>
          </div>
          <input
            className={FIELD}
            aria-label="Words to keep as written"
            placeholder="keep as written: QHL, BWV"
            defaultValue={(step.keep ?? []).join(", ")}
            onBlur={(event) => onChange({ ...step, keep: readWords(event.target.value) })}
          />
        </div>
      );
    case "without":
      return (
        <select
          aria-label="Which field's text"
          className={FIELD}
          value={step.of}
          onChange={(event) => onChange({ ...step, of: event.target.value })}
        >
          {fields.map((one) => (
            <option key={one.name} value={one.name}>
              {one.label}
            </option>
          ))}
        </select>
      );
    case "brackets":
      return (
        <input
          className={FIELD}
          aria-label="Only brackets that hold"
          placeholder="only those that hold ..."
          value={step.holding ?? ""}
          onChange={(event) => onChange({ ...step, holding: event.target.value })}
        />
      );
    case "shorten":
      return (
        <input
          className={FIELD}
          aria-label="Long and short words"
          defaultValue={writePairs(step.words)}
          onBlur={(event) => onChange({ ...step, words: readPairs(event.target.value) })}
        />
      );
    case "around":
      return (
        <div className="flex gap-1">
          <input
            className={FIELD}
            aria-label="In front"
            placeholder="in front"
            value={step.before}
            onChange={(event) => onChange({ ...step, before: event.target.value })}
          />
          <input
            className={FIELD}
            aria-label="Behind"
            placeholder="behind"
            value={step.after}
            onChange={(event) => onChange({ ...step, after: event.target.value })}
          />
        </div>
      );
    case "pattern":
      return (
        <input
          className={`${FIELD} figure`}
          aria-label="Pattern of other fields"
          value={step.pattern}
          onChange={(event) => onChange({ ...step, pattern: event.target.value })}
        />
      );
    case "unicode":
      return (
        <div className="flex items-center gap-2">
          <select
            aria-label="Form"
            className={FIELD}
            value={step.form}
            onChange={(event) => onChange({ ...step, form: event.target.value as typeof step.form })}
          >
            {["NFC", "NFD", "NFKC", "NFKD"].map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
          <label className="flex shrink-0 items-center gap-1">
            <input
              type="checkbox"
              checked={step.plain_quotes}
              onChange={(event) => onChange({ ...step, plain_quotes: event.target.checked })}
            />{" "}
            plain quotes
          </label>
        </div>
      );
    default:
      return null;
  }
}

import type { ReactNode } from "react";

import { NumberInput } from "../ui/NumberInput";

/** One step of the chain: on or off, and what it is asked to do. */
export function StepBox({
  title,
  told,
  on,
  onToggle,
  children,
}: {
  title: string;
  told?: ReactNode;
  on: boolean;
  onToggle: (on: boolean) => void;
  children?: ReactNode;
}) {
  return (
    <fieldset aria-label={title} className={`border-t px-3 py-1.5 ${on ? "border-primary" : "border-base-300"}`}>
      <div className="flex items-baseline gap-2">
        <label className="flex items-center gap-2 whitespace-nowrap font-serif text-[15px] font-semibold">
          <input type="checkbox" checked={on} onChange={(event) => onToggle(event.target.checked)} /> {title}
        </label>
        <span className="quiet ml-auto text-right text-[12px]">{told}</span>
      </div>
      {on && children && <div className="mt-1 flex flex-wrap items-center gap-x-4 gap-y-1 pl-6">{children}</div>}
    </fieldset>
  );
}

/** A figure with its unit; kept when it is left or Enter is pressed, if it lies within its bounds. */
export function Figure(props: {
  label: string;
  value: number;
  unit: string;
  min: number;
  max: number;
  step?: number;
  shows?: string;
  onSave: (value: number) => void;
}) {
  return (
    <label className="flex items-center gap-1.5">
      {props.shows ?? props.label}
      <NumberInput
        label={props.label}
        unit={props.unit}
        className="cell figure !w-20 !px-1.5 !py-0 text-right"
        min={props.min}
        max={props.max}
        value={props.value}
        onSave={props.onSave}
      />
      <span className="quiet">{props.unit}</span>
    </label>
  );
}

/** One of a few. */
export function Choice<T extends string>(props: {
  label: string;
  shows?: string;
  value: T;
  options: readonly (readonly [T, string])[];
  onSave: (value: T) => void;
}) {
  return (
    <label className="flex items-center gap-1.5">
      {props.shows ?? props.label}
      <select
        aria-label={props.label}
        className="border border-base-300 bg-base-100 px-1.5 py-0.5"
        value={props.value}
        onChange={(event) => props.onSave(event.target.value as T)}
      >
        {props.options.map(([value, label]) => (
          <option key={value} value={value}>
            {label}
          </option>
        ))}
      </select>
    </label>
  );
}

export function Tick({ label, on, onSave }: { label: string; on: boolean; onSave: (on: boolean) => void }) {
  return (
    <label className="flex items-center gap-1.5">
      <input type="checkbox" checked={on} onChange={(event) => onSave(event.target.checked)} /> {label}
    </label>
  );
}

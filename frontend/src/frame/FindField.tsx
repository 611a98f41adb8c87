import { Search } from "lucide-react";

/** The field that the slash goes to: what is typed is kept in the address. */
export function FindField(props: {
  label: string;
  placeholder: string;
  value: string;
  onChange: (value: string) => void;
}) {
  return (
    <label className="ml-auto flex items-center gap-2 border border-base-300 bg-base-100 px-2 py-1">
      <Search size={14} aria-hidden />
      <input
        data-find
        type="search"
        className="w-56 bg-transparent outline-none"
        placeholder={props.placeholder}
        aria-label={props.label}
        value={props.value}
        onChange={(event) => props.onChange(event.target.value)}
      />
    </label>
  );
}

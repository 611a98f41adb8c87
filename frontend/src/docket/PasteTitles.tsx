import { useMutation } from "@tanstack/react-query";

import type { TrackLine } from "../api/client";
import { plural } from "../words/figures";
import { Trouble } from "../words/Trouble";

type Titles = Record<string, { title: string }>;

/** Pasted titles before and after, track by track, until somebody says yes. */
export function PasteTitles(props: {
  lines: readonly TrackLine[];
  titles: readonly string[];
  onCancel: () => void;
  onAccept: (tracks: Titles, seen: Titles) => Promise<void>;
}) {
  const { lines, titles } = props;
  const rows = lines.slice(0, titles.length).map((line, index) => ({ line, title: titles[index] ?? "" }));
  const accept = useMutation({
    mutationFn: () =>
      props.onAccept(
        Object.fromEntries(rows.map(({ line, title }) => [line.key, { title }])),
        Object.fromEntries(rows.map(({ line }) => [line.key, { title: line.title }])),
      ),
  });
  return (
    <section aria-label="Pasted titles" className="rule-b bg-base-200 px-5 py-3">
      <h2 className="mb-2 text-[15px]">{plural(titles.length, "title")} to put in</h2>
      {titles.length > lines.length && (
        <p className="mb-2 text-warning">
          There are {plural(titles.length - lines.length, "title")} more than tracks from here on; they are left out.
        </p>
      )}
      <table className="mb-3 text-[13px]">
        <tbody>
          {rows.map(({ line, title }) => (
            <tr key={line.key}>
              <td className="figure pr-3 text-right">{line.number}</td>
              <td className="quiet pr-3 line-through">{line.title}</td>
              <td className="font-medium">{title}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="flex gap-2">
        <button type="button" className="press press-main" onClick={() => accept.mutate()} disabled={accept.isPending}>
          Put them in
        </button>
        <button type="button" className="press" onClick={props.onCancel}>
          Cancel
        </button>
      </div>
      {accept.error && <Trouble error={accept.error} />}
    </section>
  );
}

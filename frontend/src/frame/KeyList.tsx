import { useEffect, useRef } from "react";

import { useAllCommands } from "./commands";

const SHOWN: Record<string, string> = { ArrowLeft: "←", ArrowRight: "→", ",": ", comma", ".": ". full stop" };

const shown = (key: string): string =>
  key === "+"
    ? "+"
    : key
        .split("+")
        .map((part) => SHOWN[part] ?? part)
        .join(" ");

/** The keys of this screen, opened and closed with the question mark. */
export function KeyList({ open, onClose }: { open: boolean; onClose: () => void }) {
  const dialog = useRef<HTMLDialogElement>(null);
  const commands = useAllCommands();
  useEffect(() => {
    if (open && !dialog.current?.open) dialog.current?.showModal();
    if (!open) dialog.current?.close();
  }, [open]);
  return (
    // A press beside the dialog closes it; the Escape key does the same by itself.
    // eslint-disable-next-line jsx-a11y/click-events-have-key-events, jsx-a11y/no-noninteractive-element-interactions
    <dialog
      ref={dialog}
      onClose={onClose}
      onClick={(event) => event.target === dialog.current && onClose()}
      aria-label="Keys of this screen"
      className="m-auto border border-base-300 bg-base-100 p-6 text-base-content shadow-lg backdrop:bg-neutral/20"
    >
      <h2 className="mb-3 text-lg">Keys of this screen</h2>
      <table>
        <tbody>
          {commands.map((command) => (
            <tr key={command.label}>
              <td className="figure py-0.5 pr-6">{command.keys.map(shown).join(" or ")}</td>
              <td>{command.label}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <button type="button" className="press mt-4" onClick={onClose}>
        Close
      </button>
    </dialog>
  );
}

import { PanelRightClose, PanelRightOpen } from "lucide-react";
import { type ReactNode, useState } from "react";

const KEY = "inkwell margin folded";

/** The work in the middle and, unless folded away, its margin: facts, settings, and what would be sensible next. */
export function Desk({ title, children, margin }: { title: ReactNode; children: ReactNode; margin?: ReactNode }) {
  const [folded, setFolded] = useState(() => localStorage.getItem(KEY) === "yes");
  const fold = () => {
    localStorage.setItem(KEY, folded ? "no" : "yes");
    setFolded(!folded);
  };
  return (
    <div className="flex h-full min-h-0">
      <section className="flex min-h-0 min-w-0 flex-1 flex-col">
        <header className="rule-b flex min-h-12 items-center gap-4 px-5 py-2">
          {title}
          {margin && (
            <button
              type="button"
              className="ml-auto text-primary"
              onClick={fold}
              aria-label={folded ? "Show side panel" : "Hide side panel"}
            >
              {folded ? <PanelRightOpen size={17} aria-hidden /> : <PanelRightClose size={17} aria-hidden />}
            </button>
          )}
        </header>
        <div className="min-h-0 flex-1 overflow-auto">{children}</div>
      </section>
      {margin && !folded && (
        <aside
          aria-label="Side panel"
          className="w-[280px] shrink-0 overflow-auto border-l border-base-300 bg-base-200 p-4 text-[13px]"
        >
          {margin}
        </aside>
      )}
    </div>
  );
}

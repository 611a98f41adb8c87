import { clsx } from "clsx";
import { useQuery } from "@tanstack/react-query";
import { Activity, BookOpen, ClipboardList, Cpu, Files, Library, Moon, Search, ShieldCheck, Sun } from "lucide-react";
import { NavLink, useLocation, useParams } from "react-router";

import type { Evidence } from "../api/client";
import { docketQuery, sessionQuery } from "../api/queries";
import { SignedIn } from "../people/SignedIn";
import { Mark } from "./Mark";
import { Mood } from "./Mood";
import { chooseTheme, useTheme } from "./theme";

export const STAGES: Record<Evidence["stage"], string> = {
  intake: "Intake",
  transfer: "Transfer",
  disc: "Disc",
  tracks: "Tracks",
  repair: "Repair",
  sources: "Sources",
  describe: "Describe",
  artwork: "Artwork",
  seal: "Seal",
};

/** What is done with the collection as a whole. */
const WITHIN: [string, string][] = [
  ["/collection/duplicates", "Duplicates"],
  ["/collection/names", "Names"],
  ["/collection/rules", "House rules"],
  ["/collection/reports", "Reports"],
];

const place = ({ isActive }: { isActive: boolean }) =>
  clsx(
    "flex items-center gap-2 px-4 py-1.5",
    isActive ? "bg-base-100 font-semibold shadow-[inset_3px_0_0_var(--color-error)]" : "hover:bg-base-100",
  );

/** Left: where one is, and inside a docket its stages with one line of evidence each. */
export function Spine() {
  const { docketId } = useParams();
  const { pathname } = useLocation();
  const theme = useTheme();
  const { data: session } = useQuery(sessionQuery);
  return (
    <nav aria-label="Places" className="flex h-full flex-col overflow-y-auto border-r border-base-300 bg-base-200">
      <NavLink to="/" className="flex items-center gap-2.5 px-4 pb-4 pt-4">
        <Mark />
        <span className="font-serif text-[17px] font-semibold leading-tight">Inkwell Groove</span>
      </NavLink>
      <NavLink to="/" end className={place}>
        <Library size={15} aria-hidden /> Shelf
      </NavLink>
      <NavLink to="/collection" end className={place}>
        <Search size={15} aria-hidden /> Collection
      </NavLink>
      {pathname.startsWith("/collection") &&
        WITHIN.map(([to, label]) => (
          <NavLink key={to} to={to} className={(state) => `${place(state)} !pl-10`}>
            {label}
          </NavLink>
        ))}
      <NavLink to="/files" className={place}>
        <Files size={15} aria-hidden /> Files
      </NavLink>
      <NavLink to="/survey" className={place}>
        <ClipboardList size={15} aria-hidden /> Survey
      </NavLink>
      <NavLink to="/fixity" className={place}>
        <ShieldCheck size={15} aria-hidden /> Fixity
      </NavLink>
      <NavLink to="/ledger" className={place}>
        <BookOpen size={15} aria-hidden /> Ledger
      </NavLink>
      {/* A docket's stages need the room. */}
      {!docketId && (
        <NavLink to="/workers" className={place}>
          <Cpu size={15} aria-hidden /> Workers
        </NavLink>
      )}
      {!docketId && session?.role === "keeper" && (
        <NavLink to="/operations" className={place}>
          <Activity size={15} aria-hidden /> Operations
        </NavLink>
      )}
      {docketId && <Stages docketId={Number(docketId)} />}
      {/* A docket's stages leave room for one line here. */}
      <div className={`mt-auto ${docketId ? "flex items-end" : ""}`}>
        <div className="min-w-0 flex-1">
          <SignedIn place={place} />
        </div>
        <button
          type="button"
          title={theme === "paper" ? "Dark theme" : "Light theme"}
          className={`flex items-center gap-2 px-4 text-left text-primary ${docketId ? "py-2.5" : "w-full py-3"}`}
          onClick={() => chooseTheme(theme === "paper" ? "lamplight" : "paper")}
        >
          {theme === "paper" ? <Moon size={15} aria-hidden /> : <Sun size={15} aria-hidden />}
          <span className={docketId ? "sr-only" : ""}>{theme === "paper" ? "Dark theme" : "Light theme"}</span>
        </button>
      </div>
    </nav>
  );
}

function Stages({ docketId }: { docketId: number }) {
  const { data: docket } = useQuery(docketQuery(docketId));
  if (!docket) return null;
  return (
    <div className="mt-3 border-t border-base-300 pt-3">
      <div className="px-4 pb-2">
        <div className="figure font-medium">{docket.shelfmark}</div>
        <div className="font-serif text-[15px] leading-snug">{docket.release.title || "Not described yet"}</div>
      </div>
      <ol>
        {docket.evidence.map((one) => (
          <li key={one.stage}>
            <NavLink
              to={`/dockets/${docketId}/${one.stage}`}
              className={(state) => `${place(state)} !items-start !py-1.5`}
            >
              <span className="pt-1">
                <Mood mood={one.mood} />
              </span>
              <span>
                <span className="block font-medium leading-tight">{STAGES[one.stage]}</span>
                <span className="quiet block text-[12px] font-normal leading-snug">{one.line}</span>
              </span>
            </NavLink>
          </li>
        ))}
      </ol>
    </div>
  );
}

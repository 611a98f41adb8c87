import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { useLocation } from "react-router";

import { answer, api } from "../api/client";
import { presenceKey, sessionQuery } from "../api/queries";

const SAY_EVERY_MS = 15_000;
const WINDOW = crypto.randomUUID();

/** Who else has this docket open, and where: two people who work on one thing know of each other. */
export function OthersHere({ docketId }: { docketId: number }) {
  const stage = useLocation().pathname.split("/")[3] ?? "";
  const me = useQuery(sessionQuery).data?.name;
  const { data: others = [] } = useQuery({
    queryKey: [...presenceKey(docketId), stage],
    queryFn: () => {
      const body = { window: WINDOW, stage };
      return answer(
        api.PUT("/api/v1/dockets/{docket_id}/presence", { params: { path: { docket_id: docketId } }, body }),
      );
    },
    refetchInterval: SAY_EVERY_MS,
    refetchIntervalInBackground: true,
    staleTime: 0,
    placeholderData: keepPreviousData,
    // That others cannot be asked for is no news about them.
    throwOnError: false,
  });
  useEffect(() => {
    const leave = () =>
      void api.DELETE("/api/v1/dockets/{docket_id}/presence", {
        params: { path: { docket_id: docketId }, query: { window: WINDOW } },
        keepalive: true,
      });
    window.addEventListener("pagehide", leave);
    return () => {
      window.removeEventListener("pagehide", leave);
      leave();
    };
  }, [docketId]);
  if (others.length === 0) return null;
  const words = [...new Set(others.map(({ who, stage: at }) => inWords(who === me ? null : who, at)))];
  return (
    <p role="status" className="rule-b bg-base-200 px-5 py-1 text-[13px]">
      {words.join(" ")}
    </p>
  );
}

function inWords(who: string | null, stage: string): string {
  const where = stage ? `, at ${stage[0]?.toUpperCase()}${stage.slice(1)}` : "";
  return who === null ? `You have this docket open in another window${where}.` : `${who} is here too${where}.`;
}

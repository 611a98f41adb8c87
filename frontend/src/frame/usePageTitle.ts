import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { useMatches, useParams } from "react-router";

import { docketQuery } from "../api/queries";

const PROGRAM = "Inkwell Groove";

/** Says in the title of the browser's tab where one is: the docket, the page, the program. */
export function usePageTitle(): void {
  const { docketId } = useParams();
  const page = useMatches().findLast((match) => typeof match.handle === "string")?.handle as string | undefined;
  const docket = useQuery({ ...docketQuery(Number(docketId)), enabled: docketId !== undefined }).data;
  const title = [docketId && docket?.shelfmark, page, PROGRAM].filter(Boolean).join(" · ");
  useEffect(() => {
    document.title = title;
  }, [title]);
}

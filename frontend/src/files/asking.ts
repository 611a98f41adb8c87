import { useMutation } from "@tanstack/react-query";

import type { ProposedCells } from "../api/client";
import type { SheetState } from "./useSheet";

/** Asks what would change and lays the answer over the sheet. */
export function useAsking(state: SheetState) {
  return useMutation({ mutationFn: (ask: () => Promise<ProposedCells>) => ask(), onSuccess: state.setProposed });
}

/** On which rows a pane works, in words. */
export const meantWords = (count: number, ticked: boolean): string =>
  ticked ? `${count} ticked` : `all ${count} in sight`;

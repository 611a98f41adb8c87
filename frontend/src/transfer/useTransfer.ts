import { useMutation, useQueryClient } from "@tanstack/react-query";

import { answer, api, type Transfer, type TransferSettings } from "../api/client";
import type { paths } from "../api/schema";
import { transferQuery } from "../api/queries";
import { browserInput } from "./browserInput";

type Command = paths["/api/v1/transfers/{key}/{command}"]["post"]["parameters"]["path"]["command"];

/** All that can be done with a docket's transfer; each answer goes into the cache. */
export function useTransfer(docketId: number, transfer: Transfer | null) {
  const cache = useQueryClient();
  const key = transferQuery(docketId).queryKey;
  // Answers may overtake each other; an older one must not undo what a newer one told.
  const keep = (after: Transfer | null) =>
    cache.setQueryData(key, (now) =>
      after && now && now.key === after.key && now.version > after.version ? now : after,
    );
  const ahead = (change: Partial<Transfer>) => cache.setQueryData(key, (now) => now && { ...now, ...change });
  const path = { params: { path: { key: transfer?.key ?? "" } } };
  const simple = useMutation({
    mutationFn: (command: Command) =>
      answer(
        api.POST("/api/v1/transfers/{key}/{command}", { params: { path: { key: transfer?.key ?? "", command } } }),
      ),
    onSuccess: keep,
  });
  const settings = useMutation({
    mutationFn: (body: TransferSettings) => answer(api.PUT("/api/v1/transfers/{key}/settings", { ...path, body })),
    // Shown at once; a refusal puts it back.
    onMutate: (body) => void ahead({ settings: body }),
    onSuccess: keep,
    onError: () => void cache.invalidateQueries({ queryKey: key }),
  });
  const gain = useMutation({
    mutationFn: (gainDb: number) =>
      answer(api.PUT("/api/v1/transfers/{key}/gain", { ...path, body: { gain_db: gainDb } })),
    onSuccess: keep,
  });
  const turnOver = useMutation({
    mutationFn: (body: { side_id: number; new_take: boolean }) =>
      answer(api.POST("/api/v1/transfers/{key}/turn-over", { ...path, body })),
    onSuccess: keep,
  });
  const operate = useMutation({
    mutationFn: (body: { control: string; value: string }) =>
      answer(api.POST("/api/v1/transfers/{key}/controls", { ...path, body })),
    onSuccess: keep,
  });
  const disconnect = useMutation({
    mutationFn: async () => {
      await answer(api.DELETE("/api/v1/transfers/{key}", path));
      if (transfer?.source.kind === "browser") browserInput.close();
    },
    onSuccess: () => keep(null),
  });
  const all = [simple, settings, gain, turnOver, operate, disconnect];
  return {
    simple,
    settings,
    gain,
    turnOver,
    operate,
    disconnect,
    error: all.find((one) => one.error)?.error ?? null,
    busy: all.some((one) => one.isPending),
  };
}

export type TransferDoing = ReturnType<typeof useTransfer>;

/** Connects a source to a docket; the browser's own input is opened first, since only it knows its rate. */
export function useConnect(docketId: number) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (wanted: {
      sourceId: string;
      deviceId: string | null;
      rateHz: number;
      bits: number;
      settings: TransferSettings;
    }) => {
      const isBrowser = wanted.sourceId === "browser";
      if (isBrowser) await browserInput.open(wanted.deviceId);
      try {
        const made = await answer(
          api.POST("/api/v1/dockets/{docket_id}/transfer", {
            params: { path: { docket_id: docketId } },
            body: {
              source_id: wanted.sourceId,
              rate_hz: isBrowser ? browserInput.rateHz : wanted.rateHz,
              bits: wanted.bits,
              channels: isBrowser ? browserInput.channels : 2,
              settings: wanted.settings,
            },
          }),
        );
        if (isBrowser) browserInput.send(made.key);
        return made;
      } catch (refusal) {
        browserInput.close();
        throw refusal;
      }
    },
    onSuccess: (made) => cache.setQueryData(transferQuery(docketId).queryKey, made),
  });
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { answer, api, type Disc, type Drives } from "../api/client";
import { discQuery, discStripQuery, drivesQuery } from "../api/queries";

const SOON_MS = 400;

/** A side's disc, the drives, and the strip: looked at again and again while something is being read. */
export function useDisc(sideId: number) {
  const { data: disc, error } = useQuery({
    ...discQuery(sideId),
    refetchInterval: ({ state }) => (state.data && isBusy(state.data) ? SOON_MS : false),
  });
  const busy = !!disc && isBusy(disc);
  const { data: drives } = useQuery({ ...drivesQuery, refetchInterval: busy ? SOON_MS : false });
  const { data: strip } = useQuery({ ...discStripQuery(sideId), refetchInterval: busy ? SOON_MS : false });
  return { disc, drives, strip, busy, error };
}

export const isBusy = (disc: Disc): boolean => disc.reads.some((one) => one.state === "reading");

/** All that can be done at the drives and with a disc. */
export function useDiscDoing(sideId: number) {
  const cache = useQueryClient();
  const keepDrives = (drives: Drives) => cache.setQueryData(drivesQuery.queryKey, drives);
  const keepDisc = (disc: Disc) => {
    cache.setQueryData(discQuery(sideId).queryKey, disc);
    void cache.invalidateQueries({ queryKey: drivesQuery.queryKey });
    void cache.invalidateQueries({ queryKey: discStripQuery(sideId).queryKey });
  };
  const putIn = useMutation({
    mutationFn: ({ drive, disc }: { drive: string; disc: string }) =>
      answer(api.PUT("/api/v1/drives/{drive_id}/disc", { params: { path: { drive_id: drive } }, body: { disc } })),
    onSuccess: keepDrives,
  });
  const takeOut = useMutation({
    mutationFn: (drive: string) =>
      answer(api.DELETE("/api/v1/drives/{drive_id}/disc", { params: { path: { drive_id: drive } } })),
    onSuccess: keepDrives,
  });
  const wipe = useMutation({
    mutationFn: ({ name, node }: { name: string; node: string }) =>
      answer(api.POST("/api/v1/discs/{name}/cleaned", { params: { path: { name }, query: { node } } })),
    onSuccess: keepDrives,
  });
  const sayOffset = useMutation({
    mutationFn: ({ drive, offset_samples }: { drive: string; offset_samples: number }) =>
      answer(
        api.PUT("/api/v1/drives/{drive_id}/offset", {
          params: { path: { drive_id: drive } },
          body: { offset_samples },
        }),
      ),
    onSuccess: keepDrives,
  });
  const read = useMutation({
    mutationFn: (body: {
      drive_id: string;
      numbers: number[] | null;
      twice: boolean;
      slowly: boolean;
      eject: boolean;
    }) => answer(api.POST("/api/v1/sides/{side_id}/disc-reads", { params: { path: { side_id: sideId } }, body })),
    onSuccess: keepDisc,
  });
  const chooseGaps = useMutation({
    mutationFn: (gaps: Disc["layout"]) =>
      answer(api.PUT("/api/v1/sides/{side_id}/disc/gaps", { params: { path: { side_id: sideId } }, body: { gaps } })),
    onSuccess: keepDisc,
  });
  const tell = useMutation({
    mutationFn: (readId: number) =>
      answer(api.POST("/api/v1/disc-reads/{read_id}/submit", { params: { path: { read_id: readId } } })),
    onSuccess: keepDisc,
  });
  const cancel = useMutation({
    mutationFn: (jobId: number) =>
      answer(api.POST("/api/v1/jobs/{job_id}/cancel", { params: { path: { job_id: jobId } } })),
    onSuccess: () => cache.invalidateQueries({ queryKey: discQuery(sideId).queryKey }),
  });
  const all = [putIn, takeOut, wipe, sayOffset, read, chooseGaps, tell, cancel];
  return {
    putIn,
    takeOut,
    wipe,
    sayOffset,
    read,
    chooseGaps,
    tell,
    cancel,
    error: all.find((one) => one.error)?.error ?? null,
  };
}

export type DiscDoing = ReturnType<typeof useDiscDoing>;

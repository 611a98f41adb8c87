import type { Plan, TrackSpan } from "../api/client";

/** Both ends of a track as the finder leaves them, for tests. */
export const sure = (confidence: number | null): Pick<TrackSpan, "start" | "end"> => ({
  start: { confidence, reason: "", signed_by: null },
  end: { confidence, reason: "", signed_by: null },
});

/** A plan without tracks, for tests. */
export const emptyPlan = (samples: number): Plan => ({
  take_sha256: "0".repeat(64),
  take_samples: samples,
  side_start_sample: 0,
  gaps: "kept",
  lead_samples: 0,
  tail_samples: 0,
  fade_samples: 0,
  found: { catalogue_s: [], counts_gap: false, disbelieved: [], turn_overs: [] },
  tracks: [],
  restoration: {
    by_hand: [],
    declip: false,
    thumps: false,
    dropouts: false,
    channels: {
      swap: false,
      invert_left: false,
      invert_right: false,
      delay_right_us: 0,
      balance_db: 0,
      mono: "off",
    },
    equaliser: [],
    speed_ratio: 1,
  },
});

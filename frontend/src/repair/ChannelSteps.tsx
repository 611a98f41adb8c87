import { useMutation } from "@tanstack/react-query";

import { answer, api, type Restoration, type Side } from "../api/client";
import { Choice, Figure, StepBox, Tick } from "./fields";
import { decibels } from "./words";
import type { Repairing } from "./useRepairing";

type Channels = NonNullable<Restoration["channels"]>;

export const NO_CHANNELS: Required<Channels> = {
  swap: false,
  invert_left: false,
  invert_right: false,
  delay_right_us: 0,
  balance_db: 0,
  mono: "off",
};
const MONO = [
  ["off", "two channels"],
  ["both", "mono of both"],
  ["left", "mono of the left"],
  ["right", "mono of the right"],
  ["quieter", "mono of the quieter, moment by moment"],
] as const;

/** Swap, polarity, balance, azimuth and mono. */
export function ChannelSteps({
  side,
  channels,
  repairing,
}: {
  side: Side;
  channels: Required<Channels>;
  repairing: Repairing;
}) {
  const measure = useMutation({
    mutationFn: () => answer(api.GET("/api/v1/sides/{side_id}/channels", { params: { path: { side_id: side.id } } })),
  });
  const isAtRest = JSON.stringify(channels) === JSON.stringify({ ...NO_CHANNELS, ...channels, ...NO_CHANNELS });
  const set = (change: Partial<Channels>, saying: string) =>
    repairing.restore({ channels: { ...channels, ...change } }, saying);
  const found = measure.data;
  return (
    <StepBox
      title="Channels"
      told="swap, polarity, balance, azimuth, mono"
      on={!isAtRest || measure.isPending || !!found}
      onToggle={(on) => (on ? measure.mutate() : (measure.reset(), set(NO_CHANNELS, "channels as recorded")))}
    >
      <Choice
        label="Channels become"
        shows=""
        value={channels.mono}
        options={MONO}
        onSave={(mono) => set({ mono }, mono === "off" ? "two channels" : `mono, from ${mono}`)}
      />
      <Tick
        label="swap"
        on={channels.swap}
        onSave={(swap) => set({ swap }, swap ? "channels swapped" : "channels not swapped")}
      />
      <Tick
        label="invert left"
        on={channels.invert_left}
        onSave={(invert_left) => set({ invert_left }, "polarity of the left")}
      />
      <Tick
        label="invert right"
        on={channels.invert_right}
        onSave={(invert_right) => set({ invert_right }, "polarity of the right")}
      />
      <Figure
        label="Balance"
        value={channels.balance_db}
        unit="dB"
        min={-12}
        max={12}
        onSave={(balance_db) => set({ balance_db }, "balance")}
      />
      <Figure
        label="Right held back"
        value={channels.delay_right_us}
        unit="µs"
        min={-2000}
        max={2000}
        onSave={(delay_right_us) => set({ delay_right_us }, "azimuth")}
      />
      {measure.isPending && <span className="quiet">measuring</span>}
      {found && (
        <span className="quiet">
          {found.delay_us == null
            ? "The channels are too different to tell their delay"
            : `The right lags by ${found.delay_us.toFixed(1).replace("-", "−")} µs`}
          {found.balance_db == null ? "" : `, the left is ${decibels(found.balance_db)} dB louder`}.{" "}
          {found.delay_us != null && (
            <button
              type="button"
              className="text-primary underline-offset-2 hover:underline"
              onClick={() =>
                set(
                  { delay_right_us: Number((-(found.delay_us ?? 0)).toFixed(2)), balance_db: channels.balance_db },
                  "azimuth as measured",
                )
              }
            >
              Put the delay right
            </button>
          )}
        </span>
      )}
    </StepBox>
  );
}

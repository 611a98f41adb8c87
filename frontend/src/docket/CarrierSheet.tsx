import { answer, api, type Carrier, type Docket, Problem, type Schemas } from "../api/client";
import { Cell } from "../words/Cell";
import { readClock, shortClock } from "../words/figures";
import { useKeepDocket } from "./useDocket";

type Said = Omit<Schemas["CarrierChange"], "expected_s">;
interface Field {
  name: keyof Said & keyof Carrier;
  label: string;
  hint: string;
  choices: readonly string[];
}

const RECORD: readonly Field[] = [
  {
    name: "speed",
    label: "Speed",
    hint: "as the label says",
    choices: ["33 1/3 rpm", "45 rpm", "78.26 rpm", "16 2/3 rpm"],
  },
  {
    name: "equalisation",
    label: "Equalisation",
    hint: "as it was cut, if known",
    choices: ["IEC 60098", "500/-16", "400/-12", "250/0", "unknown"],
  },
  {
    name: "playing_order",
    label: "Playing order",
    hint: "one disc after the other",
    choices: ["one disc after the other", "for a record changer"],
  },
  { name: "condition", label: "Condition", hint: "scratches, warps, labels, sleeve", choices: [] },
];
const TAPE: readonly Field[] = [
  { name: "speed", label: "Speed", hint: "4.76 cm/s", choices: ["4.76 cm/s", "2.38 cm/s", "9.53 cm/s"] },
  {
    name: "tape_type",
    label: "Tape type",
    hint: "as the shell says",
    choices: ["Type I", "Type II", "Type III", "Type IV"],
  },
  {
    name: "noise_reduction",
    label: "Noise reduction",
    hint: "as it was recorded with",
    choices: ["none", "compander, treble only", "compander, full band", "unknown"],
  },
  {
    name: "playing_order",
    label: "Playing order",
    hint: "sides apart",
    choices: ["sides apart", "both sides in one take (auto-reverse)"],
  },
  { name: "condition", label: "Condition", hint: "pads, splices, mould, case", choices: [] },
];
const COMPACT_DISC: readonly Field[] = [
  { name: "condition", label: "Condition", hint: "scratches, pinholes, bronzing, case", choices: [] },
];
const FIELDS: Record<string, readonly Field[]> = { Cassette: TAPE, CD: COMPACT_DISC };

/** What is said of a carrier as it is taken from the shelf, and how long its sides should be. */
export function CarrierSheet({ docket, carrier }: { docket: Docket; carrier: Carrier }) {
  const keep = useKeepDocket();
  const save = async (change: Partial<Schemas["CarrierChange"]>): Promise<Carrier | undefined> => {
    const saved = await answer(
      api.PATCH("/api/v1/carriers/{carrier_id}", {
        params: { path: { carrier_id: carrier.id } },
        body: { expected_s: {}, seen: {}, seen_s: {}, ...change },
        keepalive: true,
      }),
    );
    keep(saved);
    return saved.carriers.find((one) => one.id === carrier.id);
  };
  const saveLength = async (sideId: number, text: string, seen: number | null) => {
    const seconds = text.trim() ? readClock(text) : null;
    if (seconds !== null && Number.isNaN(seconds))
      throw new Problem(`“${text}” is no length`, null, "Write minutes and seconds, as 21:30");
    const saved = await save({ expected_s: { [sideId]: seconds }, seen_s: { [sideId]: seen } });
    return saved?.sides.find((one) => one.id === sideId)?.expected_s ?? null;
  };
  const name = docket.carriers.length > 1 ? `Carrier ${carrier.number}, ${carrier.format}` : carrier.format;
  return (
    <section className="rule-b grid grid-cols-2 gap-x-6 gap-y-0.5 px-5 py-3" aria-label={name}>
      <h2 className="col-span-2 mb-1 text-lg">{name}</h2>
      {(FIELDS[carrier.format] ?? RECORD).map((field) => {
        const list = field.choices.length ? `${field.name} choices` : undefined;
        return (
          <label
            key={field.name}
            className={`grid grid-cols-[110px_1fr] items-baseline ${field.name === "condition" ? "col-span-2" : ""}`}
          >
            <span className="quiet">{field.label}</span>
            <Cell
              label={field.label}
              hint={field.hint}
              list={list}
              value={carrier[field.name]}
              onSave={async (value, seen) => {
                const saved = await save({ [field.name]: value, seen: { [field.name]: seen } });
                return saved?.[field.name] ?? "";
              }}
            />
            {list && (
              <datalist id={list}>
                {field.choices.map((choice) => (
                  <option key={choice} value={choice} />
                ))}
              </datalist>
            )}
          </label>
        );
      })}
      {carrier.format !== "CD" &&
        carrier.sides.map((side) => (
          <label key={side.id} className="grid grid-cols-[110px_1fr] items-baseline">
            <span className="quiet">Length of side {side.letter}</span>
            <Cell
              label={`Length of side ${side.letter}`}
              hint="as the sleeve says, 21:30"
              value={side.expected_s === null ? "" : shortClock(side.expected_s)}
              stored={side.expected_s}
              words={(value) => shortClock(Number(value))}
              onSave={(text, seen) => saveLength(side.id, text, seen)}
            />
          </label>
        ))}
    </section>
  );
}

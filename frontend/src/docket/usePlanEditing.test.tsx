// @vitest-environment jsdom
import { QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, renderHook, waitFor } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { Cache } from "../api/cache";
import { api, type Docket, type Plan, type PlanEdit, type PlanView, type Side } from "../api/client";
import { docketQuery } from "../api/queries";
import { usePlanEditing } from "./usePlanEditing";

const SIDE = { id: 3, plan: { version: 10 } } as Side;
const DOCKET = { id: 7, carriers: [{ sides: [SIDE] }] } as unknown as Docket;
const nudge = (sample: number): PlanEdit =>
  ({ op: "move", track_key: "t1", edge: "start", to_sample: sample }) as unknown as PlanEdit;
const planOf = (sample: number) => ({ tracks: [{ start_sample: sample }] }) as unknown as Plan;

interface Asked {
  path: string;
  basedOn: string | undefined;
  answer: (version: number) => void;
  refuse: (what: string) => void;
}
let asked: Asked[];
let cache: Cache;

beforeEach(() => {
  asked = [];
  cache = new Cache({ defaultOptions: { queries: { retry: false } } });
  cache.setQueryData(docketQuery(7).queryKey, DOCKET);
  const post = (path: string, { params }: { params: { header: { "If-Match": string } } }) =>
    new Promise((settle) => {
      asked.push({
        path,
        basedOn: params.header["If-Match"],
        answer: (version) => settle({ data: { version } as PlanView, response: new Response() }),
        refuse: (what) => settle({ error: { detail: what }, response: new Response(null, { status: 412 }) }),
      });
    });
  vi.spyOn(api, "POST").mockImplementation(post);
});
afterEach(cleanup);

const editing = () => {
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={cache}>{children}</QueryClientProvider>
  );
  return renderHook(() => usePlanEditing(7, SIDE), { wrapper }).result;
};
const versionInCache = () => cache.getQueryData(docketQuery(7).queryKey)?.carriers[0]?.sides[0]?.plan?.version;

describe("usePlanEditing", () => {
  it("sends edits one after the other, each on the version that the one before it made", async () => {
    const plan = editing();
    act(() => {
      plan.current.edit.mutate({ edit: nudge(100) });
      plan.current.edit.mutate({ edit: nudge(200) });
    });
    await waitFor(() => expect(asked).toHaveLength(1));
    expect(asked[0]?.basedOn).toBe('"10"');
    act(() => asked[0]?.answer(11));
    await waitFor(() => expect(asked).toHaveLength(2));
    expect(asked[1]?.basedOn).toBe('"11"');
    act(() => asked[1]?.answer(12));
    await waitFor(() => expect(versionInCache()).toBe(12));
  });

  it("shows the plan as it will be until the last edit is answered", async () => {
    const plan = editing();
    act(() => {
      plan.current.edit.mutate({ edit: nudge(100), ahead: planOf(100) });
      plan.current.edit.mutate({ edit: nudge(200), ahead: planOf(200) });
    });
    await waitFor(() => expect(plan.current.ahead).toEqual(planOf(200)));
    await waitFor(() => expect(asked).toHaveLength(1));
    act(() => asked[0]?.answer(11));
    await waitFor(() => expect(asked).toHaveLength(2));
    expect(plan.current.ahead).toEqual(planOf(200));
    act(() => asked[1]?.answer(12));
    await waitFor(() => expect(plan.current.ahead).toBeNull());
  });

  it("goes back to what the server has when an edit is refused, and says why", async () => {
    const plan = editing();
    act(() => plan.current.edit.mutate({ edit: nudge(100), ahead: planOf(100) }));
    await waitFor(() => expect(asked).toHaveLength(1));
    act(() => asked[0]?.refuse("the plan was changed meanwhile"));
    await waitFor(() => expect(plan.current.ahead).toBeNull());
    expect(plan.current.error).toMatchObject({ what: "the plan was changed meanwhile", status: 412 });
    expect(versionInCache()).toBe(10);
    expect(cache.getQueryState(docketQuery(7).queryKey)?.isInvalidated).toBe(true);
  });

  it("bases what follows a refusal on the version of the docket, not on one that was never made", async () => {
    const plan = editing();
    act(() => plan.current.edit.mutate({ edit: nudge(100) }));
    await waitFor(() => expect(asked).toHaveLength(1));
    act(() => asked[0]?.refuse("it is locked"));
    await waitFor(() => expect(plan.current.edit.isError).toBe(true));
    act(() => plan.current.edit.mutate({ edit: nudge(50) }));
    await waitFor(() => expect(asked).toHaveLength(2));
    expect(asked[1]?.basedOn).toBe('"10"');
  });

  it("undoes after the edits before it, not beside them", async () => {
    const plan = editing();
    act(() => {
      plan.current.edit.mutate({ edit: nudge(100) });
      plan.current.undo.mutate();
    });
    await waitFor(() => expect(asked).toHaveLength(1));
    expect(asked[0]?.path).toMatch(/edits$/);
    act(() => asked[0]?.answer(11));
    await waitFor(() => expect(asked).toHaveLength(2));
    expect(asked[1]?.path).toMatch(/undo$/);
    expect(asked[1]?.basedOn).toBe('"11"');
    act(() => asked[1]?.answer(10));
    await waitFor(() => expect(versionInCache()).toBe(10));
    act(() => plan.current.redo.mutate());
    await waitFor(() => expect(asked[2]?.path).toMatch(/redo$/));
    expect(asked[2]?.basedOn).toBe('"10"');
  });
});

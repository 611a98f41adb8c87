// @vitest-environment jsdom
import { QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, expect, it, vi } from "vitest";

import { Cache } from "../api/cache";
import { api, type CollectionFound } from "../api/client";
import { Facets } from "./Facets";

afterEach(cleanup);

it("shows what is chosen, however rare it is, so that it can be taken out again", async () => {
  vi.spyOn(api, "GET").mockResolvedValue({ data: [], response: new Response() });
  const decade = Object.fromEntries(Array.from({ length: 16 }, (_, place) => [`${1860 + 10 * place}`, 100 - place]));
  const onChange = vi.fn<(next: URLSearchParams) => void>();
  render(
    <QueryClientProvider client={new Cache()}>
      <Facets
        params={new URLSearchParams({ decade: "2010" })}
        onChange={onChange}
        told={{ facets: { decade } } as unknown as CollectionFound}
        checks={[]}
      />
    </QueryClientProvider>,
  );
  expect(screen.queryByLabelText(/^2000/)).toBeNull();
  await userEvent.click(screen.getByLabelText(/^2010/));
  expect(onChange.mock.calls[0]?.[0].has("decade")).toBe(false);
});

import { useSearchParams } from "react-router";

/** What a page's address says of what is shown: `said` reads it by name, `say` changes it. */
export function useAddress() {
  const [params, setParams] = useSearchParams();
  const said = (name: string) => params.get(name) ?? "";
  /** What is said as nothing is left out. Going back leaves the page. */
  const say = (values: Record<string, string>) =>
    setParams(
      (before) => {
        const next = new URLSearchParams(before);
        for (const [name, value] of Object.entries(values)) {
          if (value) next.set(name, value);
          else next.delete(name);
        }
        return next;
      },
      { replace: true, flushSync: true }, // a field that lags behind its typist loses letters
    );
  return { said, say };
}

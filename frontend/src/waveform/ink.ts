/** The colours of the canvases, from the theme's custom properties. */
export interface Ink {
  wave: string;
  core: string;
  outside: string;
  washEven: string;
  washOdd: string;
  join: string;
  chosen: string;
  unsure: string;
  rule: string;
  hatch: string;
  paper: string;
  quiet: string;
}

export function readInk(): Ink {
  const style = getComputedStyle(document.documentElement);
  const ink = (name: string) => style.getPropertyValue(`--ink-${name}`).trim();
  return {
    wave: ink("wave"),
    core: ink("core"),
    outside: ink("outside"),
    washEven: style.getPropertyValue("--wash-a").trim(),
    washOdd: style.getPropertyValue("--wash-b").trim(),
    join: ink("join"),
    chosen: ink("chosen"),
    unsure: ink("unsure"),
    rule: ink("rule"),
    hatch: ink("hatch"),
    paper: ink("paper"),
    quiet: ink("quiet"),
  };
}

export const FIGURE_FONT = '11px "IBM Plex Mono", monospace';

import { useEffect } from "react";
import { usePreferences, type Preferences } from "../api/preferences";

type Look = Pick<Preferences, "theme" | "density">;
const THEMES: Record<Look["theme"], string> = { system: "", light: "neat", dark: "neat-night" };
const STORED = "look";

/** What is printed is light, whatever the screen is. */
function wear({ theme, density }: Look, printing: boolean): void {
  const { dataset } = document.documentElement;
  dataset.theme = printing ? THEMES.light : THEMES[theme];
  if (!dataset.theme) delete dataset.theme;
  dataset.density = density;
}

/** The look that this browser showed last, before anything is drawn: no page flashes in another one. */
export function wearLast(): void {
  try {
    const last = JSON.parse(localStorage.getItem(STORED) ?? "null") as Look | null;
    if (last && last.theme in THEMES) wear(last, false);
  } catch {
    // Nothing readable is stored, or nothing may be: the look of the system.
  }
}

/** Theme and density as they are chosen. */
export function useLook(): void {
  const chosen = usePreferences();
  const { theme, density } = chosen ?? {};
  useEffect(() => {
    if (!theme || !density) return;
    const look = { theme, density };
    const paper = window.matchMedia("print");
    const dress = () => wear(look, paper.matches);
    dress();
    try {
      localStorage.setItem(STORED, JSON.stringify(look));
    } catch {
      // A browser that stores nothing shows the look once it is known.
    }
    paper.addEventListener("change", dress);
    return () => paper.removeEventListener("change", dress);
  }, [theme, density]);
}

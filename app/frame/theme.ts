/** Switches between day and night and remembers it; until then the system's choice holds. */
export function toggleTheme(): void {
  const root = document.documentElement;
  const night = root.dataset["theme"] ? root.dataset["theme"] === "night" : matchMedia("(prefers-color-scheme: dark)").matches;
  root.dataset["theme"] = night ? "day" : "night";
  try {
    localStorage.setItem("theme", root.dataset["theme"]);
  } catch {
    // Where nothing may be stored, the choice holds for this page.
  }
}

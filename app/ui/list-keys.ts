import { useCallback } from "react";

/** Lets ↑ and ↓ go through the items of a list marked with `data-list-item`, and Escape close what is chosen. */
export function useListKeys(onEscape?: () => void): (element: HTMLElement | null) => (() => void) | void {
  return useCallback(
    (element) => {
      if (!element) return;
      const listen = (event: KeyboardEvent): void => {
        if (event.key === "Escape") return onEscape?.();
        if (event.key !== "ArrowDown" && event.key !== "ArrowUp") return;
        const items = [...element.querySelectorAll<HTMLElement>("[data-list-item]")];
        const at = items.indexOf(document.activeElement as HTMLElement);
        const next = items[at < 0 ? 0 : at + (event.key === "ArrowDown" ? 1 : -1)];
        if (!next) return;
        event.preventDefault();
        next.focus();
      };
      element.addEventListener("keydown", listen);
      return () => element.removeEventListener("keydown", listen);
    },
    [onEscape],
  );
}

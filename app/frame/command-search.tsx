import { Command } from "cmdk";
import { useEffect, useState } from "react";
import { useFetcher, useNavigate } from "react-router";
import type { FrameData } from "./frame-data.ts";
import { PARTS_OF_PLACES, PLACES } from "./places.ts";
import { useAddress, useQuestionSearch } from "./question-link.ts";
import { toggleTheme } from "./theme.ts";

/** Reaches every place, service, machine and act by typing. */
export function CommandSearch({ frame }: { frame: FrameData }) {
  const [open, setOpen] = useState(false);
  const navigate = useNavigate();
  const search = useQuestionSearch();
  const change = useAddress();
  useEffect(() => {
    const listen = (event: KeyboardEvent): void => {
      if (event.key !== "k" || !(event.ctrlKey || event.metaKey)) return;
      event.preventDefault();
      setOpen((o) => !o);
    };
    window.addEventListener("keydown", listen);
    return () => window.removeEventListener("keydown", listen);
  }, []);
  const go = (path: string, more?: Record<string, string>): (() => void) => pick(() => void navigate(path + search(more)));
  const found = useFetcher<{ machines: { id: string; name: string }[] }>();
  const pick = (act: () => void) => () => {
    setOpen(false);
    act();
  };
  return (
    <>
      <button
        type="button"
        onClick={() => setOpen(true)}
        className="flex w-56 items-center justify-between rounded-[3px] border border-line-strong bg-raised px-3 py-1 text-sm text-soft hover:border-accent"
      >
        Find or do
        <span className="figures text-xs">Ctrl K</span>
      </button>
      <Command.Dialog
        open={open}
        onOpenChange={setOpen}
        label="Find or do"
        overlayClassName="fixed inset-0 z-40 bg-[#0f172280]"
        contentClassName="fixed top-[12vh] left-1/2 z-50 w-[min(36rem,94vw)] -translate-x-1/2 rounded border border-line-strong bg-raised"
        className="[&_[cmdk-group-heading]]:px-3 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:text-xs [&_[cmdk-group-heading]]:text-soft [&_[cmdk-item]]:px-3 [&_[cmdk-item]]:py-1 [&_[cmdk-item][data-selected=true]]:bg-chosen"
      >
        <Command.Input
          aria-label="Find or do"
          onValueChange={(text) => frame.machines === null && void found.load(`/find?text=${encodeURIComponent(text)}`)}
          className="w-full border-b border-line bg-transparent px-3 py-2 outline-none"
        />
        <Command.List className="max-h-[50vh] overflow-y-auto pb-2 text-sm">
          <Command.Empty className="px-3 py-2 text-soft">Nothing is called that.</Command.Empty>
          <Command.Group heading="Places">
            {PLACES.map((p) => (
              <Command.Item key={p.to} onSelect={go(p.to)}>
                {p.name}
              </Command.Item>
            ))}
            {PARTS_OF_PLACES.map((p) => (
              <Command.Item key={p.name} onSelect={go(p.to, p.more)}>
                {p.name}
              </Command.Item>
            ))}
          </Command.Group>
          <Command.Group heading="Acts">
            <Command.Item onSelect={go("/copies")}>Copy now</Command.Item>
            <Command.Item onSelect={go("/rehearsals")}>Rehearse this outage</Command.Item>
            <Command.Item onSelect={pick(() => change({ at: null }))}>Bring the needle back to now</Command.Item>
            <Command.Item onSelect={pick(toggleTheme)}>Day or night</Command.Item>
          </Command.Group>
          <Command.Group heading="What is lost">
            {frame.canBeLost.flatMap(({ kind, items }) =>
              items.map((item) => (
                <Command.Item key={item.id} value={`lost ${kind} ${item.name}`} onSelect={pick(() => change({ lost: item.id }))}>
                  {item.name} is lost
                </Command.Item>
              )),
            )}
          </Command.Group>
          <Command.Group heading="Services">
            {frame.services.map((s) => (
              <Command.Item key={s.id} value={`service ${s.name}`} onSelect={go("/", { service: s.id })}>
                {s.name}
              </Command.Item>
            ))}
          </Command.Group>
          <Command.Group heading="Machines">
            {(frame.machines ?? found.data?.machines ?? []).map((m) => (
              <Command.Item key={m.id} value={`machine ${m.name}`} onSelect={go("/copies", { machine: m.id })}>
                <span className="figures">{m.name}</span>
              </Command.Item>
            ))}
          </Command.Group>
        </Command.List>
      </Command.Dialog>
    </>
  );
}

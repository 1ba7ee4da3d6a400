import { useSyncExternalStore } from 'react';
import type { BenchName } from '../shell/bench';
import { COMMANDS, type Command, type CommandId } from './catalogue';

/** How often a key was pressed until it needs no teaching any more. */
const KNOWN = 2;
const KEPT = 'nubrak-keys-known';

/** What each bench teaches, one thing after the other. */
export const LESSONS: Partial<Record<BenchName, [CommandId, string][]>> = {
  gather: [
    ['nextPart', 'to the next part'],
    ['view', 'tempo, spill, recording'],
    ['nextBench', 'on to what was found'],
  ],
  find: [
    ['next', 'from hit to hit'],
    ['drop', 'drops one'],
    ['keep', 'keeps one'],
    ['secondLook', 'what is in doubt'],
    ['nextBench', 'on to Shape'],
  ],
  shape: [
    ['next', 'from note to note'],
    ['up', 'makes it louder'],
    ['view', 'when, which note, write'],
    ['nextBench', 'on to Layer'],
  ],
  layer: [
    ['down', 'tries a sound'],
    ['take', 'takes it'],
    ['lock', 'locks it'],
    ['nextBench', 'on to Mix'],
  ],
  mix: [['nextBench', 'on to Print']],
};

let counts: Record<string, number> = read();
const told = new Set<() => void>();

function read(): Record<string, number> {
  try {
    return JSON.parse(localStorage.getItem(KEPT) ?? '{}') as Record<string, number>;
  } catch {
    return {};
  }
}

/** A key did something: after a few times nobody needs to be told of it. */
export function pressed(name: string): void {
  if ((counts[name] ?? 0) >= KNOWN) return;
  counts = { ...counts, [name]: (counts[name] ?? 0) + 1 };
  try {
    localStorage.setItem(KEPT, JSON.stringify(counts));
  } catch {
    // Without a place to keep it, it is taught again next time.
  }
  for (const tell of told) tell();
}

/** The first lesson of a bench that is not known yet; null where all are. */
export function lessonOf(bench: BenchName, known: Record<string, number>): [CommandId, string] | null {
  const isKnown = (id: CommandId) => (COMMANDS[id] as Command).keys.some((key) => (known[key] ?? 0) >= KNOWN);
  return LESSONS[bench]?.find(([id]) => !isKnown(id)) ?? null;
}

const subscribe = (tell: () => void) => {
  told.add(tell);
  return () => void told.delete(tell);
};

/** What the key line teaches on a bench now. */
export function useLesson(bench: BenchName): [CommandId, string] | null {
  return lessonOf(
    bench,
    useSyncExternalStore(subscribe, () => counts),
  );
}

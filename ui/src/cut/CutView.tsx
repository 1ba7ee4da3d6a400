import { useEffect, useState } from 'react';
import { limitOf, held as heldIn } from '../api/limit';
import { KeyOf } from '../commands/KeyOf';
import { useCommands } from '../commands/useCommands';
import { Setting } from '../find/Setting';
import type { BenchProps } from '../shell/bench';
import { UnderWay } from '../shell/UnderWay';
import { SideTabs, sideAfter, type Side } from '../shape/SideTabs';
import { strokes } from '../sound/strokes';
import { clock } from '../stage/axes';
import { useWindow } from '../state/window';
import { viewShowing } from '../state/view';
import { Clearest } from './Clearest';
import { CutControls } from './CutControls';
import { CutStage } from './CutStage';
import { useCuts } from './useCuts';
import { useKeptKit } from './useKeptKit';
import './cut.scss';

const FADE_IN = limitOf('CutMark', 'fade_in_ms');
const FADE_OUT = limitOf('CutMark', 'fade_out_ms');
const NUDGE_MS = 1;
const FAR_MS = 10;
const FADE_OUT_STEP = 5;

/** Cut: a source on its waveform with its cuts, put where they are wanted, and each slice heard. */
export function CutView(props: BenchProps & { onSide: (side: Side) => void }) {
  const { doing, document, revision, pieces, part, partId, lengthS, onSide } = props;
  const set = useWindow((state) => state.set);
  const notify = useWindow((state) => state.notify);
  const sourceId = part?.sources[0] ?? Object.keys(document.sources ?? {})[0] ?? '';
  const source = document.sources?.[sourceId];
  const cuts = useCuts(doing, document, revision, sourceId);
  const lines = cuts.cut?.lines ?? [];
  const [asked, setChosen] = useState(0);
  const chosen = Math.min(asked, Math.max(lines.length - 1, 0));
  const line = lines[chosen];
  const kit = useKeptKit(doing.id);
  const rateHz = document.rate_hz ?? 44100;
  const hear = (index: number) =>
    void strokes.url(
      `/api/sessions/${doing.id}/sources/${sourceId}/slices/${index}/sound`,
      `${revision}`,
      rateHz,
    );
  const go = (index: number, heard = false) => {
    const to = lines[index];
    if (!to) return;
    setChosen(index);
    set({ playheadS: to.start_s, view: viewShowing(useWindow.getState().view, to.start_s, lengthS) });
    if (heard) hear(index);
  };
  const nudge = (by_ms: number) =>
    line && void cuts.put({ found_s: line.found_s, by_ms, snap: false, to_s: null });
  const fade = (which: 'in' | 'out', byMs: number) => {
    if (!line) return;
    const limit = which === 'in' ? FADE_IN : FADE_OUT;
    const now = (which === 'in' ? line.fade_in_ms : line.fade_out_ms) ?? 0;
    void cuts.fade(line.found_s, which, heldIn(Math.round(10 * (now + byMs)) / 10, limit));
  };
  const drop = () => {
    if (!line) return;
    if (chosen === 0) notify('The first slice begins where the source does.', true);
    else void cuts.drop(line.found_s).then((done) => done && setChosen(Math.max(chosen - 1, 0)));
  };
  const add = () =>
    void cuts.put({ found_s: null, to_s: useWindow.getState().playheadS, by_ms: 0, snap: true });
  const snap = () =>
    line && void cuts.put({ found_s: line.found_s, to_s: line.start_s, by_ms: 0, snap: true });
  const keepKit = () => void kit.keep({ of: 'slices', source_id: sourceId });
  const keepBest = () => void kit.keep({ of: 'best' });
  const partIds = Object.entries(document.parts ?? {}).flatMap(([id, one]) =>
    one.sources.includes(sourceId) ? [id] : [],
  );
  useCommands({
    next: () => go(Math.min(chosen + 1, lines.length - 1)),
    previous: () => go(Math.max(chosen - 1, 0)),
    hearIts: () => line && hear(chosen),
    earlier: () => nudge(-NUDGE_MS),
    later: () => nudge(NUDGE_MS),
    earlierFar: () => nudge(-FAR_MS),
    laterFar: () => nudge(FAR_MS),
    fadeInShorter: () => fade('in', -0.5),
    fadeInLonger: () => fade('in', 0.5),
    fadeOutShorter: () => fade('out', -FADE_OUT_STEP),
    fadeOutLonger: () => fade('out', FADE_OUT_STEP),
    lock: snap,
    add,
    drop,
    takeOut: drop,
    takeBack: () => line && void cuts.takeBack(line.found_s),
    keepKit,
    bestBar: keepBest,
    view: () => onSide(sideAfter('cut')),
  });
  // What is cut is looked at as a whole first.
  useEffect(() => {
    if (!source) return;
    const startS = Math.min(...source.clips.map((clip) => clip.start_s ?? 0));
    const endS = Math.max(...source.clips.map((clip) => (clip.start_s ?? 0) + clip.length_s));
    if (endS - startS < 30) set({ view: { startS, spanS: endS - startS } });
    // Only when another source is cut.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [sourceId, set]);

  if (!source)
    return (
      <div className="empty">
        <h2>Nothing to cut yet</h2>
        <p>
          {partId ? 'This part was written, not recorded: choose one that was.' : 'Gather a recording first.'}
        </p>
      </div>
    );
  return (
    <>
      <section className="large" aria-label="Cut">
        <div className="cut-page">
          <h2>
            {source.name}{' '}
            <span className="quiet">
              {lines.length} {lines.length === 1 ? 'slice' : 'slices'}; drag an edge, or the corners of the
              chosen one for its fades
            </span>
          </h2>
          {cuts.problem ? (
            <p className="about" role="alert">
              {cuts.problem.message}
            </p>
          ) : (
            <CutStage
              source={source}
              document={document}
              lines={lines}
              chosen={chosen}
              pieces={pieces}
              lengthS={lengthS}
              onChoose={(index) => {
                setChosen(index);
                hear(index);
              }}
              onPut={(index, timeS, free) =>
                cuts.put({ found_s: lines[index]!.found_s, to_s: Math.max(timeS, 0), by_ms: 0, snap: !free })
              }
              onFade={(index, which, ms) =>
                void cuts.fade(lines[index]!.found_s, which, heldIn(ms, which === 'in' ? FADE_IN : FADE_OUT))
              }
            />
          )}
        </div>
        <div className="under-stage">
          <p className="chosen" data-testid="chosen">
            {line ? (
              <>
                <strong>Slice {chosen + 1}</strong>: {line.struck || 'nothing struck'}, from{' '}
                {clock(line.start_s, 3)} for {Math.round(1000 * (line.end_s - line.start_s))} ms
                {line.attack_s > line.start_s
                  ? `, ${(1000 * (line.attack_s - line.start_s)).toFixed(1)} ms before its attack`
                  : ''}
                ; fades in {line.fade_in_ms.toFixed(1)} ms,{' '}
                {line.fade_out_ms === null
                  ? 'out while the next fades in'
                  : `out ${line.fade_out_ms.toFixed(0)} ms`}
                {line.by_hand ? '; set by hand' : ''}.
              </>
            ) : (
              <span className="quiet">Nothing is cut here yet.</span>
            )}
          </p>
          <div className="acts">
            <button type="button" className="look-act" onClick={() => line && hear(chosen)}>
              <KeyOf of="hearIts" /> Hear it
            </button>
            <button
              type="button"
              className="plain-act"
              onClick={() => go(chosen - 1, true)}
              aria-label="Previous"
            >
              <KeyOf of="previous" painted />
            </button>
            <button type="button" className="plain-act" onClick={() => go(chosen + 1, true)}>
              <KeyOf of="next" /> Slice
            </button>
            <button
              type="button"
              className="plain-act"
              onClick={() => nudge(-NUDGE_MS)}
              aria-label="Edge earlier"
            >
              <KeyOf of="earlier" painted />
            </button>
            <button type="button" className="plain-act" onClick={() => nudge(NUDGE_MS)}>
              <KeyOf of="later" /> Edge
            </button>
            <button type="button" className="plain-act" onClick={() => fade('in', 0.5)}>
              <KeyOf of="fadeInShorter" />
              <KeyOf of="fadeInLonger" /> Fade in
            </button>
            <button type="button" className="plain-act" onClick={() => fade('out', FADE_OUT_STEP)}>
              <KeyOf of="fadeOutShorter" />
              <KeyOf of="fadeOutLonger" /> Out
            </button>
            <button type="button" className="plain-act" onClick={snap}>
              <KeyOf of="lock" /> To the attack
            </button>
            <button type="button" className="plain-act" onClick={add}>
              <KeyOf of="add" /> Cut here
            </button>
            <button type="button" className="plain-act" onClick={drop}>
              <KeyOf of="drop" /> No cut
            </button>
            <button
              type="button"
              className="plain-act"
              onClick={() => line && void cuts.takeBack(line.found_s)}
              disabled={!line?.by_hand}
            >
              <KeyOf of="takeBack" /> As found
            </button>
          </div>
        </div>
      </section>
      <aside className="settings" aria-label="Settings">
        <SideTabs side="cut" onSide={onSide} />
        <section className="write-set cut-set" aria-label="Cut at">
          <div className="column-head">
            <span>Cut at</span>
          </div>
          <CutControls cut={source.cut} onChange={(changes) => void cuts.set(changes)} />
          <Setting
            name="Before the attack"
            value={source.cut?.lead_ms ?? LEAD.usual ?? 0}
            limit={LEAD}
            about="a slice begins so long before it"
            onDone={(lead_ms) => void cuts.set({ lead_ms })}
          />
        </section>
        <section className="write-set" aria-label="Keep">
          <div className="column-head">
            <span>Keep in the library</span>
          </div>
          {kit.job ? (
            <UnderWay job={kit.job} said="making a kit" onCancel={kit.cancel} />
          ) : (
            <button type="button" className="look-act" disabled={!lines.length} onClick={keepKit}>
              <KeyOf of="keepKit" /> {lines.length} {lines.length === 1 ? 'slice' : 'slices'} as a kit
            </button>
          )}
          <p className="about">On rising notes from 36. As files with MIDI: in Print.</p>
        </section>
        <section aria-label="Stand most by themselves">
          <div className="column-head">
            <span>Stand most by themselves</span>
          </div>
          <button type="button" className="plain-act" onClick={keepBest}>
            <KeyOf of="bestBar" /> kick, snare, hat as a kit
          </button>
          <Clearest
            doing={doing}
            revision={revision}
            pieces={pieces}
            sourceId={sourceId}
            partIds={partIds}
            onGo={(timeS) => {
              const index = lines.findIndex(
                (one) => one.start_s <= timeS + 0.001 && timeS < one.end_s - 0.001,
              );
              if (index >= 0) go(index, true);
            }}
          />
        </section>
      </aside>
    </>
  );
}

const LEAD = limitOf('CutSettings', 'lead_ms');

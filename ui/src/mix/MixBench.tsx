import { Empty } from '../shell/Empty';
import { useEffect, useLayoutEffect, useRef, useState } from 'react';
import { Form } from 'react-bootstrap';
import { KeyOf } from '../commands/KeyOf';
import { useCommands } from '../commands/useCommands';
import type { BenchProps } from '../shell/bench';
import { orderedParts } from '../shell/bench';
import { useWindow } from '../state/window';
import { BusSettings } from './BusSettings';
import { GoesTo } from './GoesTo';
import { Heard } from './Heard';
import { KeptChains } from './KeptChains';
import { LessOf } from './LessOf';
import { MasterLevel } from './MasterLevel';
import { KINDS, moved, nameOf, newStage, saidOf, type Kind, type Stage } from './chain';
import { PlaceField } from './PlaceField';
import { SpectrumView } from './SpectrumView';
import { StageSettings } from './StageSettings';
import { StrokeView } from './StrokeView';
import { orderedBuses, partTarget, type Target } from './target';
import { TurnedDown } from './TurnedDown';
import { useChain } from './useChain';
import { useWithout } from './useWithout';
import './mix.scss';

/** Mix: how does it sit together? Where everything stands, what goes where, and the stages on the way. */
export function MixBench(props: BenchProps) {
  const { doing, document, revision, overview, pieces, partId, part, piece, lengthS } = props;
  const set = useWindow((state) => state.set);
  const [looked, setLooked] = useState<Target>(partTarget(partId));
  // Another part that is chosen is what is looked at.
  const target =
    looked.partId !== partId || (looked.busId && !document.buses?.[looked.busId])
      ? partTarget(partId)
      : looked;
  const bus = target.busId ? document.buses![target.busId]! : null;
  const [chosen, setChosen] = useState(0);
  const [band, setBand] = useState(0);
  const [adding, setAdding] = useState(false);
  const [large, { width, height }] = useSize();
  const drawn = Math.max(height - WORDS_PX, 330);
  const names = new Map(overview?.parts.map((one) => [one.part_id, one.name]));
  const own = names.get(partId ?? '') ?? piece?.name ?? '';
  const name = bus?.name ?? (target.layers ? `${own}, layers` : own);
  const ink = bus ? 'ink' : (piece?.ink ?? 'ink');
  const [number, setNumber] = [chosen, setChosen];
  const work = useChain(doing, revision, document, target, number, lengthS);
  const { chain, seen } = work;
  const at = Math.min(number, chain.length - 1);
  const stage = chain[at] ?? null;
  const without = useWithout(target, chain, at, seen);

  const look = (next: Target) => {
    setLooked(next);
    setNumber(0);
    without.end();
  };
  const lookAtBus = (busId: string) => look({ partId, layers: false, busId });
  const add = (kind: Kind) => {
    setAdding(false);
    setNumber(chain.length);
    void work.done([...chain, newStage(kind)]);
  };
  const replaced = (one: Stage): Stage[] => chain.map((of, index) => (index === at ? one : of));
  const shift = (by: number) => {
    if (!stage || at + by < 0 || at + by >= chain.length) return;
    setNumber(at + by);
    void work.done(moved(chain, at, at + by));
  };
  const takeOut = () => stage && void work.done(chain.filter((_, index) => index !== at));
  useCommands({
    up: () => setNumber(Math.max(at - 1, 0)),
    down: () => setNumber(Math.min(at + 1, chain.length - 1)),
    earlier: () => shift(-1),
    later: () => shift(1),
    add: () => setAdding(!adding),
    takeOut: () => void takeOut(),
    before: () => without.all(),
    beforeOne: () => without.one(),
  });

  if (!part || !piece || !partId) {
    return (
      <Empty title="Nothing to mix yet" sessionId={doing.id}>
        Gather a recording first; what it and its layers sound like is set here.
      </Empty>
    );
  }
  const dynamics = stage?.kind === 'dynamics';
  const heardOf = bus
    ? orderedParts(document)
        .filter(([id]) => id in (bus.parts ?? {}))
        .flatMap(([, one]) => one.sources)
    : part.sources;
  return (
    <>
      <section className="large mixing" ref={large}>
        <p className="mix-head">
          Where everything stands{' '}
          <span>filled: recorded, hollow: layers, square: buses, stem: how loud now</span>
          <MasterLevel doing={doing} document={document} />
        </p>
        <PlaceField
          {...props}
          width={width}
          height={Math.round(drawn * 0.43)}
          busId={target.busId}
          onPart={() => look(partTarget(useWindow.getState().partId))}
          onBus={lookAtBus}
        />
        <p className="mix-head">
          {without.said ? (
            <span className="compared" role="status">
              {name} is heard {without.said}, as loud as with it
            </span>
          ) : (
            `${name} before and after`
          )}{' '}
          <span>
            {seen
              ? `${said(seen.before_lkfs)} LUFS went in, ${said(seen.after_lkfs)} come out`
              : 'listening to what is in view …'}
          </span>
        </p>
        <SpectrumView
          seen={seen}
          ink={ink}
          stage={stage?.on ? stage : null}
          band={band}
          width={width}
          height={Math.round(drawn * 0.35)}
          onBand={setBand}
          onMove={(one) => work.move(replaced(one))}
          onDone={(one) => void work.done(replaced(one))}
        />
        <p className="mix-head">
          {dynamics ? 'What dynamics takes' : `${name} as it is played`}{' '}
          <span>
            {[
              dynamics && seen?.down_db.length
                ? `${Math.max(...seen.down_db).toFixed(1)} dB at most in view`
                : '',
              seen?.stroke ? 'right: its loudest stroke, before in grey' : '',
            ]
              .filter(Boolean)
              .join(' · ')}
          </span>
        </p>
        <div className={seen?.stroke ? 'played-row' : ''}>
          <TurnedDown
            document={document}
            sourceIds={heardOf}
            ink={ink}
            down={
              dynamics && seen?.down_db.length
                ? { db: seen.down_db, startS: seen.startS, endS: seen.endS }
                : null
            }
          />
          {seen?.stroke && (
            <StrokeView
              stroke={seen.stroke}
              ink={ink}
              width={260}
              height={Math.max(Math.round(drawn * 0.2), 80)}
            />
          )}
        </div>
      </section>
      <aside className="settings chain" aria-label="Chain">
        <Form.Select
          size="sm"
          className="whose"
          aria-label="Whose stages are looked at"
          value={target.busId ?? (target.layers ? 'layers' : 'part')}
          onChange={(event) => {
            const { value } = event.target;
            if (value === 'part' || value === 'layers')
              look({ partId, layers: value === 'layers', busId: null });
            else lookAtBus(value);
          }}
        >
          <option value="part">{own} goes through</option>
          {Object.keys(part.layers ?? {}).length > 0 && (
            <option value="layers">{own}, its layers go through</option>
          )}
          {orderedBuses(document).map(([id, one]) => (
            <option key={id} value={id}>
              {one.name} goes through
            </option>
          ))}
        </Form.Select>
        {bus && (
          <BusSettings
            key={target.busId}
            doing={doing}
            document={document}
            busId={target.busId!}
            bus={bus}
            names={names}
            onGone={() => look(partTarget(partId))}
          />
        )}
        {bus && (
          <div className="column-head spaced">
            <span>Its stages</span>
          </div>
        )}
        <ol className="stages" data-testid="stages">
          {chain.map((one, index) => (
            <li key={index} className={index === at ? 'chosen' : ''}>
              <Form.Check
                type="switch"
                id={`stage-on-${index}`}
                aria-label={`${nameOf(one.kind!)}, ${index + 1}: on`}
                checked={one.on ?? true}
                onChange={() =>
                  void work.done(chain.map((of, k) => (k === index ? { ...of, on: !of.on } : of)))
                }
              />
              <button
                type="button"
                className="stage-name"
                aria-pressed={index === at}
                onClick={() => setNumber(index)}
              >
                <strong>{nameOf(one.kind!)}</strong>
                <span>{saidOf(one)}</span>
              </button>
            </li>
          ))}
        </ol>
        {!chain.length && !adding && (
          <>
            <p className="about">Nothing colours it. Add a stage, or begin with one of these:</p>
            <ul className="starts">
              {seen?.starting_points.map((one) => (
                <li key={one.name}>
                  <button
                    type="button"
                    className="plain-act"
                    onClick={() => void work.done(one.chain as Stage[])}
                  >
                    {one.name}
                  </button>
                  <span className="about">{one.about}</span>
                </li>
              ))}
            </ul>
          </>
        )}
        {adding && <StagesToAdd onAdd={add} />}
        <p className="stage-acts">
          <button
            type="button"
            className="plain-act"
            aria-expanded={adding}
            onClick={() => setAdding(!adding)}
          >
            <KeyOf of="add" /> {adding ? 'no stage' : 'add a stage'}
          </button>
          {stage && (
            <>
              <button type="button" className="plain-act" onClick={() => void takeOut()}>
                <KeyOf of="takeOut" /> take it out
              </button>
              <button
                type="button"
                className="plain-act"
                aria-pressed={without.which === 'all'}
                onClick={without.all}
              >
                <KeyOf of="before" /> hear without any
              </button>
              <button
                type="button"
                className="plain-act"
                aria-pressed={without.which === 'one'}
                onClick={without.one}
              >
                <KeyOf of="beforeOne" /> without this one
              </button>
            </>
          )}
        </p>
        {stage && (
          <div className="stage-settings">
            <StageSettings
              key={`${target.busId ?? partId}-${target.layers}-${at}-${stage.kind}`}
              stage={stage}
              band={band}
              barBeats={((document.tempo?.beats_per_bar ?? 4) * 4) / (document.tempo?.beat_unit ?? 4)}
              onBand={setBand}
              onMove={(one) => work.move(replaced(one))}
              onDone={(one) => void work.done(replaced(one))}
            />
          </div>
        )}
        {!bus && <Heard doing={doing} partId={partId} part={part} />}
        {!bus && <GoesTo doing={doing} document={document} partId={partId} name={own} onBus={lookAtBus} />}
        {!bus && ['room', 'overall'].includes(piece.family) && (
          <LessOf
            doing={doing}
            document={document}
            partId={partId}
            part={part}
            names={names}
            noted={(one) => pieces.get(one)?.family !== 'room' && one !== 'heard'}
          />
        )}
        <KeptChains
          chain={chain}
          onUse={(next) => {
            setNumber(0);
            set({ without: null });
            void work.done(next);
          }}
        />
      </aside>
    </>
  );
}

/** The stages there are, the first in hand. */
function StagesToAdd({ onAdd }: { onAdd: (kind: Kind) => void }) {
  const first = useRef<HTMLButtonElement | null>(null);
  useEffect(() => first.current?.focus(), []);
  return (
    <ul className="starts" aria-label="Stages to add">
      {KINDS.map(([kind, word, about], index) => (
        <li key={kind}>
          <button
            type="button"
            className="plain-act"
            ref={index === 0 ? first : undefined}
            onClick={() => onAdd(kind)}
          >
            {word}
          </button>
          <span className="about">{about}</span>
        </li>
      ))}
    </ul>
  );
}

const said = (db: number): string => (db <= -119 ? '−∞' : db.toFixed(1).replace('-', '−'));

const WORDS_PX = 84; // the lines of words between what is drawn

/** A box, and how large it is. */
function useSize(): [React.RefObject<HTMLElement | null>, { width: number; height: number }] {
  const box = useRef<HTMLElement | null>(null);
  const [size, setSize] = useState({ width: 800, height: 600 });
  useLayoutEffect(() => {
    if (!box.current) return;
    const observer = new ResizeObserver(([entry]) => {
      if (!entry) return;
      const { width, height } = entry.contentRect;
      setSize({ width: Math.max(width, 300), height });
    });
    observer.observe(box.current);
    return () => observer.disconnect();
  }, []);
  return [box, size];
}

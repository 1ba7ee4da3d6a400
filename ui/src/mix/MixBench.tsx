import { useEffect, useLayoutEffect, useRef, useState } from 'react';
import { Form } from 'react-bootstrap';
import { KeyOf } from '../commands/KeyOf';
import { useCommands } from '../commands/useCommands';
import type { BenchProps } from '../shell/bench';
import { KINDS, moved, nameOf, newStage, saidOf, type Kind, type Stage } from './chain';
import { PlaceField } from './PlaceField';
import { SpectrumView } from './SpectrumView';
import { StageSettings } from './StageSettings';
import { TurnedDown } from './TurnedDown';
import { useChain } from './useChain';
import './mix.scss';

/** Mix: how does it sit together? Where everything stands, and the stages that a part goes through. */
export function MixBench(props: BenchProps) {
  const { doing, document, revision, overview, partId, part, piece, lengthS } = props;
  const [chosen, setChosen] = useState(0);
  const [band, setBand] = useState(0);
  const [adding, setAdding] = useState(false);
  const [large, { width, height }] = useSize();
  const drawn = Math.max(height - WORDS_PX, 330);
  const number = Math.min(chosen, (part?.chain?.length ?? 0) - 1);
  const work = useChain(doing, revision, partId, part, number >= 0 ? number : null, lengthS);
  const { chain, seen } = work;
  const stage = chain[number] ?? null;
  const name = overview?.parts.find((one) => one.part_id === partId)?.name ?? piece?.name ?? '';

  const add = (kind: Kind) => {
    setAdding(false);
    setChosen(chain.length);
    void work.done([...chain, newStage(kind)]);
  };
  const replaced = (one: Stage): Stage[] => chain.map((of, index) => (index === number ? one : of));
  const shift = (by: number) => {
    if (!stage || number + by < 0 || number + by >= chain.length) return;
    setChosen(number + by);
    void work.done(moved(chain, number, number + by));
  };
  const takeOut = () => stage && void work.done(chain.filter((_, index) => index !== number));
  const turnOne = () => stage && void work.done(replaced({ ...stage, on: !stage.on }));
  const anyOn = chain.some((one) => one.on);
  const turnAll = () => chain.length && void work.done(chain.map((one) => ({ ...one, on: !anyOn })));
  useCommands({
    up: () => setChosen(Math.max(number - 1, 0)),
    down: () => setChosen(Math.min(number + 1, chain.length - 1)),
    earlier: () => shift(-1),
    later: () => shift(1),
    add: () => setAdding(!adding),
    takeOut: () => void takeOut(),
    before: () => void turnAll(),
    beforeOne: () => void turnOne(),
  });

  if (!part || !piece || !partId) {
    return (
      <div className="empty">
        <h2>Nothing to mix yet</h2>
        <p>Gather a recording first; what it and its layers sound like is set here.</p>
      </div>
    );
  }
  const dynamics = stage?.kind === 'dynamics';
  return (
    <>
      <section className="large mixing" ref={large}>
        <p className="mix-head">
          Where everything stands <span>filled: recorded, hollow: layers, stem: how loud now</span>
        </p>
        <PlaceField {...props} width={width} height={Math.round(drawn * 0.43)} />
        <p className="mix-head">
          {name} before and after{' '}
          <span>
            {seen
              ? `${said(seen.before_lkfs)} LUFS went in, ${said(seen.after_lkfs)} come out`
              : 'listening to what is in view …'}
          </span>
        </p>
        <SpectrumView
          seen={seen}
          ink={piece.ink}
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
          {dynamics && seen?.down_db.length ? (
            <span>{Math.max(...seen.down_db).toFixed(1)} dB at most in view</span>
          ) : null}
        </p>
        <TurnedDown
          document={document}
          part={part}
          ink={piece.ink}
          down={
            dynamics && seen?.down_db.length
              ? { db: seen.down_db, startS: seen.startS, endS: seen.endS }
              : null
          }
        />
      </section>
      <aside className="settings chain">
        <div className="column-head">
          <span>{name} goes through</span>
        </div>
        <ol className="stages" data-testid="stages">
          {chain.map((one, index) => (
            <li key={index} className={index === number ? 'chosen' : ''}>
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
                aria-pressed={index === number}
                onClick={() => setChosen(index)}
              >
                <strong>{nameOf(one.kind!)}</strong>
                <span>{saidOf(one)}</span>
              </button>
            </li>
          ))}
        </ol>
        {!chain.length && (
          <p className="about">Nothing colours it. Add a stage, or begin with one of these:</p>
        )}
        {!chain.length && (
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
              <button type="button" className="plain-act" onClick={() => void turnAll()}>
                <KeyOf of="before" /> {anyOn ? 'without any' : 'with them'}
              </button>
            </>
          )}
        </p>
        {stage && (
          <div className="stage-settings">
            <StageSettings
              key={`${partId}-${number}-${stage.kind}`}
              stage={stage}
              band={band}
              onBand={setBand}
              onMove={(one) => work.move(replaced(one))}
              onDone={(one) => void work.done(replaced(one))}
            />
          </div>
        )}
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

import { useCallback, useEffect, useRef, useState } from 'react';
import type { Document, Schema } from '../api/client';
import { gathered, Microphone, microphoneProblem, picked } from '../record/microphone';
import { PassSender } from '../record/sender';
import { useHidden } from '../record/useHidden';
import { MODULE_ID, openModule, openPort, portProblem, type Output } from '../sound/live';
import { player } from '../sound/player';
import { strokes as sounds } from '../sound/strokes';
import { useWindow } from '../state/window';
import { inOrder, tooFew, type Inputs } from './inputs';
import type { LiveNow } from './LiveField';
import { Listening, type Said, type Stroke } from './listening';

const BLOCK_FRAMES = 128;
const KEPT_FRAMES = 2048; // kept at a time: the database is asked twenty times a second
const KEPT_S = 8;
const RINGS_MS = 80;
const READY = [24, 48, 72, 96, 112, 127]; // velocities whose sound is fetched before it is wanted

export interface LiveChoice {
  origin: 'stage' | 'microphone';
  partIds: string[];
  /** Of a microphone: which device, and which of its inputs each part listens to. */
  deviceId: string | null;
  inputs: Inputs;
  lookAheadMs: number;
  /** Where notes go: the layers, a MIDI port, the sound module, or nowhere. */
  to: string;
}

const tell = (text: string) => useWindow.getState().notify(text);

/** Listening live: opened, followed, and closed. */
export function useLive(
  sessionId: string,
  document: Document,
  revision: number,
  choice: LiveChoice,
  nameOf: (partId: string) => string,
) {
  const [going, setGoing] = useState(false);
  const [learning, setLearning] = useState(false);
  const [said, setSaid] = useState<Said>({});
  const [heardS, setHeardS] = useState(0);
  const listening = useRef<Listening | null>(null);
  const microphone = useRef<Microphone | null>(null);
  const pass = useRef<{ sender: PassSender; rest: () => void } | null>(null);
  const output = useRef<Output | null>(null);
  const now = useRef<LiveNow>({ strokes: [], heardS: 0, atMs: 0, going: false });
  const onEnded = useRef<(takeId: string | null) => void>(() => undefined);
  const rateHz = document.rate_hz ?? 44100;

  const sound = useCallback(
    (stroke: Stroke) => {
      const out = output.current;
      if (choice.to === 'layers') {
        const of = { sessionId, partId: stroke.part_id, version: String(revision), rateHz };
        void sounds.play(of, stroke.velocity, stroke.note);
      } else if (out) {
        const status = (stroke.channel - 1) & 0xf;
        out.send([0x90 | status, stroke.note, stroke.velocity], performance.now());
        out.send([0x80 | status, stroke.note, 0], performance.now() + RINGS_MS);
      }
    },
    [choice.to, rateHz, revision, sessionId],
  );

  /** What was heard is kept twice: as strokes, and as a recording that Find looks at. */
  const stop = useCallback(() => {
    microphone.current?.hand(() => undefined);
    pass.current?.rest();
    listening.current?.stop(pass.current?.sender.id ?? null);
    pass.current?.sender.finish();
    pass.current = null;
  }, []);

  const close = useCallback(() => {
    stop();
    microphone.current?.close();
    microphone.current = null;
    output.current?.close();
    output.current = null;
    now.current.going = false;
    setGoing(false);
    setLearning(false);
  }, [stop]);
  useEffect(() => close, [close]);
  useHidden(
    going &&
      'This tab went to the background. Listening goes on; notes may sound later than they should. ' +
        'Come back to end it.',
  );

  const hear = useCallback(
    (one: Said) => {
      const at = now.current;
      at.heardS = one.heard_s ?? at.heardS;
      at.atMs = performance.now();
      for (const stroke of one.strokes ?? []) {
        at.strokes.push(stroke);
        if (stroke.state === 1) sound(stroke);
      }
      at.strokes = at.strokes.filter((stroke) => stroke.time_s > at.heardS - KEPT_S);
      if (one.problem) {
        tell(one.problem);
        close();
      }
      if (one.learnt) setLearning(false);
      if (one.parts || one.latency || one.against || one.ended) {
        setHeardS(at.heardS);
        setSaid((before) => ({
          parts: one.parts ?? before.parts,
          latency: one.latency ?? before.latency,
          against: one.against ?? before.against,
        }));
      }
      if (one.ended) {
        onEnded.current(one.take_id ?? null);
        close();
      }
    },
    [close, sound],
  );

  const begin = async (calibrates: boolean) => {
    if (listening.current && going) return;
    try {
      if (choice.to === MODULE_ID)
        output.current = await openModule((text) => {
          output.current = null;
          tell(text);
        });
      else if (choice.to !== 'layers' && choice.to !== '') output.current = await openPort(choice.to);
    } catch (error) {
      tell(error instanceof Error && !(error instanceof DOMException) ? error.message : portProblem(error));
      return;
    }
    if (choice.to === 'layers')
      for (const partId of choice.partIds)
        for (const velocity of READY)
          void sounds.take({ sessionId, partId, version: String(revision), rateHz }, velocity);
    const context = player.clock(rateHz);
    if (choice.origin === 'microphone') {
      try {
        if (context.state !== 'running') await context.resume();
        microphone.current = await Microphone.open(
          choice.deviceId,
          context,
          BLOCK_FRAMES,
          (why) => {
            tell(`${why} What was played until then is kept as a take. Listen once more to go on.`);
            stop();
          },
          Math.max(...Object.values(choice.inputs)),
        );
      } catch (error) {
        tell(microphoneProblem(error));
        return;
      }
      const few = tooFew(choice.inputs, microphone.current.channels, nameOf);
      if (few) {
        microphone.current.close();
        microphone.current = null;
        tell(few);
        return;
      }
    }
    now.current = { strokes: [], heardS: 0, atMs: performance.now(), going: true };
    setSaid({});
    const { playheadS } = useWindow.getState();
    const one = new Listening(sessionId, {
      origin: choice.origin,
      part_ids: choice.partIds,
      look_ahead_ms: choice.lookAheadMs,
      rate_hz: rateHz,
      start_s: playheadS,
      calibrates,
    });
    one.onLost = tell;
    one.onSaid = hear;
    listening.current = one;
    if (microphone.current) {
      const { channels } = inOrder(choice.inputs);
      const all = Math.max(...channels) + 1;
      const pieces = choice.partIds.map((id) => (document.parts?.[id]?.piece ?? 'clap') as never);
      const sender = new PassSender(sessionId, {
        rate_hz: rateHz,
        channels: pieces.length,
        start_s: playheadS,
        round_trip_s: 0,
        piece: pieces[0]!,
        pieces,
        name: '',
        beside: null,
      });
      sender.onLost = tell;
      sender.onProblem = tell;
      // Said at once, and again to a new connection: what is cut off knows what it was recorded as.
      let said: string | null = null;
      one.onAgain = () => (said = null);
      sender.onKept = () => {
        if (sender.id && said !== sender.id && one.say({ pass_id: sender.id })) said = sender.id;
      };
      const gather = gathered(KEPT_FRAMES * pieces.length, (lot) => sender.take(lot));
      pass.current = { sender, rest: gather.rest };
      microphone.current.hand((heard) => {
        const lot = picked(heard, all, channels);
        one.take(lot);
        gather.take(lot);
      });
    }
    setGoing(true);
    setLearning(calibrates);
  };

  // Settings of Find that change while it plays hold from then on.
  const finds = JSON.stringify(
    Object.fromEntries(choice.partIds.map((id) => [id, document.parts?.[id]?.find ?? {}])),
  );
  useEffect(() => {
    if (going)
      listening.current?.say({
        find: JSON.parse(finds) as Schema['LiveWord']['find'],
        look_ahead_ms: choice.lookAheadMs,
      });
  }, [finds, choice.lookAheadMs, going]);
  useEffect(() => {
    if (listening.current) listening.current.onSaid = hear;
  }, [hear, going]);

  return {
    going,
    learning,
    said,
    heardS,
    begin,
    stop,
    now: useCallback(() => now.current, []),
    whenEnded: (work: (takeId: string | null) => void) => {
      onEnded.current = work;
    },
  };
}

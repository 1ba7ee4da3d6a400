import { useCallback, useEffect, useRef, useState } from 'react';
import { client, take, type Document } from '../api/client';
import { player } from '../sound/player';
import { useWindow } from '../state/window';
import { useHidden } from './useHidden';
import { countIn, secondsPerBeat } from './bars';
import { takeUp } from './cutOff';
import { Microphone, microphoneProblem, microphones, type Device, type Lot } from './microphone';
import { PassSender } from './sender';

const LOT_FRAMES = 1024;
const LEAD_S = 0.35; // before the count-in begins: until what is heard first has come
const EARLY_S = 0.15; // of what is played before the line is kept: a hand may be early
const TAIL_S = 0.3; // behind the loop: what is played last rings, and came the round trip later
const LONGEST_S = 4 * 3600;

export type Stage = 'closed' | 'opening' | 'ready' | 'counting' | 'recording' | 'finishing';

export interface PassSettings {
  deviceId: string | null;
  piece: string;
  countIn: boolean;
  click: boolean;
  roundTripS: number;
  beside: string | null;
}

/** What a pass is begun with that may have been answered just before. */
export interface Asked {
  document: Document;
  countIn: boolean;
  click: boolean;
}

const fail = (text: string) => useWindow.getState().notify(text);

/** A microphone and the passes that are played into it. */
export function usePass(sessionId: string, document: Document, settings: PassSettings) {
  const [stage, setStage] = useState<Stage>('closed');
  const [keptS, setKeptS] = useState(0);
  const [devices, setDevices] = useState<Device[]>([]);
  const microphone = useRef<Microphone | null>(null);
  const sender = useRef<PassSender | null>(null);
  const stopAt = useRef<number>(Infinity);
  const began = useRef<number | null>(null);
  const clicks = useRef<AudioBufferSourceNode[]>([]);
  const waits = useRef<((ready: boolean) => void) | null>(null); // for the microphone to be ready, or not
  const run = useRef(0); // which pass was begun last: one that was stopped before it came to be begins no more
  const rateHz = document.rate_hz ?? 44100;

  const settled = useCallback((ready: boolean) => {
    setStage(ready ? 'ready' : 'closed');
    const waiting = waits.current;
    waits.current = null;
    waiting?.(ready);
  }, []);

  const close = useCallback(() => {
    sender.current?.finish();
    sender.current = null;
    for (const one of clicks.current) one.stop();
    clicks.current = [];
    microphone.current?.close();
    microphone.current = null;
  }, []);
  useEffect(() => close, [close]);
  useHidden(
    stage === 'recording' &&
      'This tab went to the background. Recording goes on; what you play along with may stop. Come back to end it.',
  );

  const stop = useCallback(() => {
    run.current++;
    for (const one of clicks.current) one.stop();
    clicks.current = [];
    player.stop();
    // Back to where it began: the next pass goes over the same bars.
    const fromS = began.current;
    useWindow.getState().set({ playing: false, ...(fromS === null ? {} : { playheadS: fromS }) });
    began.current = null;
    microphone.current?.hand(() => undefined);
    if (!sender.current) return setStage(microphone.current ? 'ready' : 'closed');
    setStage('finishing');
    sender.current.finish();
  }, []);

  const ended = useCallback(
    (why: string) => {
      const recording = sender.current !== null;
      stop();
      microphone.current?.close();
      microphone.current = null;
      if (!recording) setStage('closed');
      fail(
        recording
          ? `${why} What was played until then is kept as a take. Choose the microphone again and record the rest.`
          : `${why} The session is unchanged. Choose the microphone again.`,
      );
    },
    [stop],
  );

  /** Open a microphone, so that its level is seen before anything is recorded. */
  const open = useCallback(
    async (deviceId: string | null) => {
      microphone.current?.close();
      microphone.current = null;
      setStage('opening');
      try {
        const context = player.clock(rateHz);
        if (context.state !== 'running') await context.resume();
        microphone.current = await Microphone.open(deviceId, context, LOT_FRAMES, ended);
        setDevices(await microphones());
        settled(true);
      } catch (error) {
        settled(false);
        fail(microphoneProblem(error));
      }
    },
    [ended, rateHz, settled],
  );

  const sound = async (context: AudioContext) => {
    const samples = await take(client.GET('/api/click', { params: { query: { rate_hz: rateHz } } }));
    const buffer = context.createBuffer(1, samples.length, rateHz);
    buffer.copyToChannel(new Float32Array(samples), 0);
    return buffer;
  };
  const clickAt = (context: AudioContext, buffer: AudioBuffer, atS: number, gain: number) => {
    const [node, level] = [context.createBufferSource(), context.createGain()];
    node.buffer = buffer;
    level.gain.value = gain;
    node.connect(level).connect(context.destination);
    node.start(atS);
    clicks.current.push(node);
  };

  /** Begin a pass, as the session stands and as is chosen, or as was answered just now. */
  const begin = async (as: Asked = { ...settings, document }) => {
    // Another file may have given the session another rate since the microphone was opened.
    if (microphone.current && microphone.current.context.sampleRate !== rateHz) await open(settings.deviceId);
    const held = microphone.current;
    if (!held || sender.current) return;
    const mine = ++run.current;
    setStage('counting');
    const { playheadS, loop, looping } = useWindow.getState();
    const over = looping && loop ? loop : null;
    const fromS = over ? over.startS : playheadS;
    const { context } = held;
    began.current = fromS;
    try {
      const buffer = await sound(context);
      if (mine !== run.current) return;
      const counted = as.countIn ? countIn(as.document) : [];
      const beatS = secondsPerBeat(as.document, fromS);
      setKeptS(0);
      const { hearing, drumsOnly } = useWindow.getState();
      player.hear(hearing);
      const heard = {
        sessionId,
        rateHz,
        lengthS: fromS + LONGEST_S,
        partId: null,
        drumsOnly,
        click: as.click,
      };
      const lineS = await player.playInTime(heard, fromS, LEAD_S + counted.length * beatS);
      if (mine !== run.current) return;
      if (lineS === null) return setStage('ready');
      useWindow.getState().set({ playing: true });
      const beginS = lineS - counted.length * beatS;
      counted.forEach((gain, k) => clickAt(context, buffer, beginS + k * beatS, gain));
      stopAt.current = over ? lineS + over.endS - over.startS + settings.roundTripS + TAIL_S : Infinity;
      held.hand((lot: Lot) => {
        const atS = lot.first / context.sampleRate;
        if (atS < lineS - EARLY_S) return;
        if (!sender.current) {
          sender.current = newSender(fromS - (lineS - atS));
          setStage('recording');
        }
        sender.current.take(lot);
        if (atS > stopAt.current) stop();
      });
    } catch (error) {
      stop();
      fail(error instanceof Error ? error.message : String(error));
    }
  };

  const newSender = (startS: number): PassSender => {
    const one = new PassSender(sessionId, {
      rate_hz: microphone.current?.context.sampleRate ?? rateHz,
      channels: 1,
      start_s: startS,
      round_trip_s: settings.roundTripS,
      piece: settings.piece as never,
      pieces: [],
      name: '',
      beside: settings.beside,
    });
    const over = () => {
      if (sender.current === one) sender.current = null;
      settled(microphone.current !== null);
    };
    one.onFinished = over;
    // Tenths are told: more would only draw the page anew.
    one.onKept = (seconds) => setKeptS(Math.floor(10 * seconds) / 10);
    one.onLost = fail;
    one.onProblem = (text) => {
      over();
      stop();
      fail(text);
      void takeUp(sessionId);
    };
    return one;
  };

  /** Let the microphone hear clicks, to know how much later a stroke arrives than it is played. */
  const measure = async (): Promise<number | null> => {
    const held = microphone.current;
    if (!held || sender.current) return null;
    const { context } = held;
    try {
      const buffer = await sound(context);
      const heard: Float32Array[] = [];
      let firstS: number | null = null;
      held.hand((lot) => {
        firstS ??= lot.first / context.sampleRate;
        heard.push(lot.samples);
      });
      const beginS = context.currentTime + 0.4;
      const atS = [0, 1, 2, 3].map((k) => beginS + 0.75 * k);
      for (const one of atS) clickAt(context, buffer, one, 1);
      await new Promise((done) => setTimeout(done, 4200));
      held.hand(() => undefined);
      const all = new Float32Array(heard.reduce((sum, one) => sum + one.length, 0));
      heard.reduce((at, one) => (all.set(one, at), at + one.length), 0);
      const found = await take(
        client.POST('/api/round-trip', {
          params: { query: { rate_hz: rateHz, clicks_s: atS.map((one) => one - (firstS ?? 0)) } },
          body: all as never,
          bodySerializer: (body: unknown) => body as BodyInit,
          headers: { 'content-type': 'application/octet-stream' },
        }),
      );
      return found.round_trip_s;
    } catch (error) {
      held.hand(() => undefined);
      fail(error instanceof Error ? error.message : String(error));
      return null;
    }
  };

  const peak = useCallback(() => microphone.current?.peak ?? 0, []);
  const seconds = useCallback(() => sender.current?.secondsS ?? { played: 0, waiting: 0 }, []);
  /** What is done once it is told whether the microphone is ready; nothing any more: null. */
  const afterwards = useCallback((then: ((ready: boolean) => void) | null) => {
    waits.current = then;
  }, []);
  return { stage, keptS, devices, open, afterwards, begin, stop, measure, peak, seconds };
}

export type PassWork = ReturnType<typeof usePass>;

import { useCallback, useEffect, useRef } from 'react';
import { Canvas } from '../stage/Canvas';
import { inks } from '../stage/heads';
import { useWindow } from '../state/window';
import type { Stage } from './usePass';

const SPAN_S = 8;
const [TOP_DB, BOTTOM_DB] = [0, -60];
const [GOOD_FROM_DB, GOOD_TO_DB] = [-20, -6]; // where strokes are well recorded (common practice)
const EVERY_MS = 33;

/** Drawn anew as time goes on. */
const running = (redraw: () => void) => {
  const timer = setInterval(redraw, EVERY_MS);
  return () => clearInterval(timer);
};

/** What the microphone hears, as ink that runs from right to left, on a scale in dB. */
export function LevelField({
  stage,
  ink,
  peak,
  seconds,
}: {
  stage: Stage;
  ink: string;
  peak: () => number;
  seconds: () => { played: number; waiting: number };
}) {
  const night = useWindow((state) => state.night);
  const past = useRef<{ atMs: number; db: number; kept: boolean }[]>([]);
  const open = stage !== 'closed';
  const draw = useCallback(
    (context: CanvasRenderingContext2D, width: number, height: number) => {
      const look = inks(night);
      const [left, right, top, bottom] = [46, width - 12, 10, height - 22];
      const yOf = (db: number) =>
        top + ((TOP_DB - Math.min(Math.max(db, BOTTOM_DB), TOP_DB)) / (TOP_DB - BOTTOM_DB)) * (bottom - top);
      context.fillStyle = look.shade;
      context.fillRect(left, yOf(GOOD_TO_DB), right - left, yOf(GOOD_FROM_DB) - yOf(GOOD_TO_DB));
      context.font = '12px "Recursive Variable", monospace';
      context.textAlign = 'right';
      context.textBaseline = 'middle';
      for (const db of [0, -6, -20, -40, -60]) {
        context.strokeStyle = look.faint;
        context.beginPath();
        context.moveTo(left, yOf(db));
        context.lineTo(right, yOf(db));
        context.stroke();
        context.fillStyle = look.quiet;
        context.fillText(`${db}`.replace('-', '−'), left - 8, yOf(db));
      }
      const nowMs = performance.now();
      const xOf = (atMs: number) => right - ((nowMs - atMs) / 1000 / SPAN_S) * (right - left);
      for (const one of past.current) {
        const x = xOf(one.atMs);
        if (x < left) continue;
        context.fillStyle = one.kept ? look.piece(ink) : look.quiet;
        context.globalAlpha = one.kept ? 1 : 0.45;
        context.fillRect(x - 2, yOf(one.db), 2.4, bottom - yOf(one.db));
      }
      context.globalAlpha = 1;
      context.fillStyle = look.soft;
      context.textAlign = 'left';
      context.font = '600 13px "Atkinson Hyperlegible Next Variable", sans-serif';
      const { played, waiting } = seconds();
      const words =
        stage === 'recording'
          ? `${played.toFixed(1)} s recorded${waiting > 2 ? `, ${waiting.toFixed(1)} s not sent yet` : ''}`
          : stage === 'closed'
            ? ''
            : 'strokes are well recorded where they end in the shaded band';
      context.fillText(words, left, height - 9);
    },
    [ink, night, seconds, stage],
  );
  useEffect(() => {
    if (!open) {
      past.current = [];
      return;
    }
    const timer = setInterval(() => {
      const nowMs = performance.now();
      past.current.push({
        atMs: nowMs,
        db: 20 * Math.log10(Math.max(peak(), 1e-5)),
        kept: stage === 'recording',
      });
      past.current = past.current.filter((one) => nowMs - one.atMs < 1000 * SPAN_S);
    }, EVERY_MS);
    return () => clearInterval(timer);
  }, [open, peak, stage]);
  return (
    <div className="level-field">
      {open ? (
        <Canvas draw={draw} on={running} label="How loud the microphone hears it, in dB under full scale" />
      ) : (
        <p className="quiet">The microphone is closed.</p>
      )}
    </div>
  );
}

import { useRef } from 'react';
import { Form } from 'react-bootstrap';
import type { Source } from '../api/client';
import type { Doing } from '../api/session';

/** The clips of a source, each with its place on the time line, and room for one more. */
export function Takes({ doing, sourceId, source }: { doing: Doing; sourceId: string; source: Source }) {
  const chooser = useRef<HTMLInputElement | null>(null);
  const move = (index: number, text: string) => {
    const startS = Number(text.replace(',', '.'));
    if (text.trim() && Number.isFinite(startS) && startS >= 0 && startS !== source.clips[index]!.start_s)
      void doing.act({ kind: 'move_clip', source_id: sourceId, index, start_s: startS });
  };
  return (
    <div className="takes">
      {source.clips.map((clip, index) => (
        <div className="take" key={`${clip.audio} ${clip.start_s}`}>
          <span>
            {clip.length_s.toFixed(2)} s, {clip.rate_hz} Hz,{' '}
            {clip.channels === 1 ? 'mono' : clip.channels === 2 ? 'stereo' : `${clip.channels} channels`}
            {clip.stamp_s !== null && clip.stamp_s !== undefined ? `, stamped ${dayTime(clip.stamp_s)}` : ''}
          </span>
          <Form.Label htmlFor={`take-${index}`}>starts at</Form.Label>
          <Form.Control
            id={`take-${index}`}
            size="sm"
            inputMode="decimal"
            defaultValue={(clip.start_s ?? 0).toFixed(3)}
            onBlur={(event) => move(index, event.target.value)}
            onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
          />
          <span>s</span>
          {source.clips.length > 1 && (
            <button
              type="button"
              className="plain-act light"
              onClick={() => void doing.act({ kind: 'remove_clip', source_id: sourceId, index })}
            >
              take out
            </button>
          )}
        </div>
      ))}
      <button type="button" className="plain-act light" onClick={() => chooser.current?.click()}>
        Add a take to this source
      </button>
      <input
        ref={chooser}
        type="file"
        multiple
        hidden
        data-testid="takes"
        accept="audio/*,.wav,.aif,.aiff,.flac,.ogg,.mp3"
        onChange={(event) => {
          void doing.addFiles([...(event.target.files ?? [])], sourceId);
          event.target.value = '';
        }}
      />
    </div>
  );
}

/** Seconds since midnight as a time of day. */
function dayTime(stampS: number): string {
  const [hours, minutes] = [Math.floor(stampS / 3600), Math.floor((stampS % 3600) / 60)];
  return `${hours}:${String(minutes).padStart(2, '0')}:${(stampS % 60).toFixed(2).padStart(5, '0')}`;
}

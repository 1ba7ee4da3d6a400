import { reached } from '../api/refusal';
import { player } from '../sound/player';

const HEARD_S = 3;

/** Play the first seconds of a part's recording, by themselves. */
export async function hearBeginning(
  sessionId: string,
  partId: string,
  startS: number,
  rateHz: number,
): Promise<void> {
  const asked = new URLSearchParams({
    start: String(Math.round(startS * rateHz)),
    frames: String(HEARD_S * rateHz),
    part: partId,
  });
  const answer = await reached(fetch(`/api/sessions/${sessionId}/sound/recording?${asked.toString()}`));
  if (!answer.ok) throw new Error('This recording could not be played. Nothing was changed. Try once more.');
  await player.once(new Float32Array(await answer.arrayBuffer()), rateHz);
}

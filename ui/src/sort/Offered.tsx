import type { Schema } from '../api/client';
import { KeyOf } from '../commands/KeyOf';
import { clock } from '../stage/axes';
import { stepReach, within } from './reach';
import type { Stroke, To } from './useSort';

/** A correction that was made, and what could follow it, within a reach. */
export interface Offer {
  strokes: Stroke[];
  to: To;
  said: string;
  follows: Schema['Follower'][];
  reach: number;
  reaches: number;
  /** Of the session after the correction. */
  revision: number;
}

interface Props {
  offer: Offer;
  onTake: () => void;
  onHear: () => void;
  onReach: (by: 1 | -1) => void;
}

const NAMED = 4; // places of followers that there is room for

export const offered = (offer: Offer) => within(offer.follows, offer.reach);

/** The same offer with more that follow, or fewer. */
export const reaching = (offer: Offer, by: 1 | -1): Offer => ({
  ...offer,
  reach: stepReach(offer.follows, offer.reach, offer.reaches, by),
});

/** What would follow a correction: how many, where; to be heard, taken, and to be made more or fewer. */
export function Offered({ offer, onTake, onHear, onReach }: Props) {
  const follows = offered(offer);
  const said = offer.said.toLowerCase();
  const [fewer, more] = ([-1, 1] as const).map((by) => offered(reaching(offer, by)).length);
  return (
    <div className="offer" role="status" data-testid="offer">
      <strong>{offerSaid(offer, follows.length)}</strong>
      {follows.length > 0 && (
        <>
          <span className="number">
            {follows
              .slice(0, NAMED)
              .map((follower) => clock(follower.time_s, 2))
              .join(' · ')}
            {follows.length > NAMED ? ' …' : ''}
          </span>
          <div className="acts">
            <button type="button" className="plain-act" onClick={onTake}>
              <KeyOf of="take" /> {offer.to.also ? said : `${said} too`}
            </button>
            <button type="button" className="plain-act" onClick={onHear}>
              <KeyOf of="hearOther" /> hear
            </button>
          </div>
        </>
      )}
      {(fewer !== follows.length || more !== follows.length) && (
        <div className="acts">
          {fewer !== follows.length && (
            <button type="button" className="plain-act" onClick={() => onReach(-1)}>
              <KeyOf of="fewer" /> {fewer ? `only ${fewer}` : 'none'}, most alike
            </button>
          )}
          {more !== follows.length && (
            <button type="button" className="plain-act" onClick={() => onReach(1)}>
              <KeyOf of="more" /> {more}, less alike
            </button>
          )}
        </div>
      )}
    </div>
  );
}

function offerSaid({ strokes, said }: Offer, many: number): string {
  const like = strokes.length === 1 ? 'it' : 'them';
  if (!many) return `${said}. Nothing else sounds like ${like}.`;
  return `${many} more ${many === 1 ? 'sounds' : 'sound'} like ${like}`;
}

import { KeyOf } from '../commands/KeyOf';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Button, Form } from 'react-bootstrap';
import { client, take, type Instrument, type Piece, type Schema } from '../api/client';
import { useWindow } from '../state/window';
import { InstrumentEditor } from './InstrumentEditor';
import { RecordedKit } from './RecordedKit';
import { counted } from '../shell/counted';
import { arranged, type Came } from './samples';

interface Props {
  sessionId: string;
  library: Schema['Library'];
  pieces: Map<string, Piece>;
  came: Came | null;
  onCame: (came: Came | null) => void;
  /** Let an instrument sound with the part at once, kept in a kit or not. */
  onUse: (instrument: Instrument) => void;
  partName: string;
  onClose: () => void;
}

// So many sounds that came in are shown with all that can be set; of more, the one that is opened.
const ALL_OPEN = 12;

/** The kits of the library, and samples that have just come in, before they are kept. */
export function KitsView({ sessionId, library, pieces, came, onCame, onUse, partName, onClose }: Props) {
  const queries = useQueryClient();
  const notify = useWindow((state) => state.notify);
  const kits = Object.entries(library.kits);
  const [chosen, setChosen] = useState<string | null>(null);
  const [opened, setOpened] = useState<string | null>(null);
  const [sure, setSure] = useState(false);
  const [into, setInto] = useState('new');
  const [made, setMade] = useState<Schema['RecordedKit'] | null>(null);
  const kitId = kits.some(([id]) => id === chosen) ? chosen! : (kits[0]?.[0] ?? null);
  const kit = kitId ? library.kits[kitId] : undefined;
  const doing = async (work: () => Promise<unknown>) => {
    try {
      await work();
    } catch (error) {
      notify(error instanceof Error ? error.message : String(error));
    }
    await queries.invalidateQueries({ queryKey: ['library'] });
  };
  const begin = (body: Partial<Schema['NewKit']>) =>
    doing(async () => {
      const made = await take(
        client.POST('/api/kits', { body: { name: 'My kit', instruments: [], ...body } }),
      );
      setChosen(made.kit_id);
      setOpened(null);
    });
  const path = { kit_id: kitId ?? '' };
  const put = (id: string, to: string, instrument: Instrument) =>
    take(
      client.PUT('/api/kits/{kit_id}/instruments/{instrument_id}', {
        params: { path: { kit_id: to, instrument_id: id } },
        body: instrument,
      }),
    );
  const keep = () =>
    came &&
    doing(async () => {
      if (into === 'new') {
        const name = came.name.slice(0, 120) || 'My kit';
        const made = await take(client.POST('/api/kits', { body: { name, instruments: came.instruments } }));
        setChosen(made.kit_id);
      } else {
        await take(
          client.POST('/api/kits/{kit_id}/instruments', {
            params: { path: { kit_id: into } },
            body: { instruments: came.instruments },
          }),
        );
        setChosen(into);
      }
      onCame(null);
    });
  if (came) {
    return (
      <div className="kits" data-testid="came">
        <div className="kits-head">
          <h2>
            {came.instruments.length
              ? `${counted(came.instruments.length, 'sound')} came in`
              : came.kits.length
                ? `${came.kits.length} ${came.kits.length === 1 ? 'kit is' : 'kits are'} in the library now`
                : 'Nothing could be taken in'}
          </h2>
          {came.instruments.length > 0 && (
            <span className="quiet">
              Strengths and turns are a guess by names and levels: change what is wrong.
            </span>
          )}
          <div className="acts">
            {came.instruments.length > 0 && (
              <>
                <Form.Select
                  size="sm"
                  aria-label="Into which kit"
                  value={into}
                  onChange={(event) => setInto(event.target.value)}
                >
                  <option value="new">a new kit, “{came.name}”</option>
                  {kits.map(([id, one]) => (
                    <option key={id} value={id}>
                      {one.name}
                    </option>
                  ))}
                </Form.Select>
                {came.files.length > 1 && (
                  <Form.Check
                    id="each-file"
                    label="every file its own sound"
                    checked={came.each}
                    onChange={(event) => {
                      const each = event.target.checked;
                      void doing(async () =>
                        onCame({ ...came, each, instruments: await arranged(came.files, each) }),
                      );
                    }}
                  />
                )}
                <button type="button" className="look-act" onClick={() => void keep()}>
                  Keep them
                </button>
              </>
            )}
            <button type="button" className="plain-act light" onClick={() => onCame(null)}>
              {came.instruments.length ? 'do not keep' : 'close'}
            </button>
          </div>
        </div>
        {came.kits.length > 0 && (
          <ul className="kit-names" data-testid="kits-came">
            {came.kits.map((name) => (
              <li key={name}>{name}</li>
            ))}
          </ul>
        )}
        {came.said.length > 0 && (
          <ul className="said-list" data-testid="left-out">
            {came.said.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
        )}
        {came.instruments.map((one, at) =>
          came.instruments.length <= ALL_OPEN || opened === String(at) ? (
            <InstrumentEditor
              key={at}
              instrument={one}
              pieces={pieces}
              onChange={(next) =>
                onCame({ ...came, instruments: came.instruments.map((old, i) => (i === at ? next : old)) })
              }
            >
              <button type="button" className="plain-act" onClick={() => onUse(one)}>
                use on {partName.toLowerCase()}
              </button>
            </InstrumentEditor>
          ) : (
            <InstrumentLine
              key={at}
              one={one}
              piece={pieces.get(one.piece)?.name}
              onOpen={() => setOpened(String(at))}
            />
          ),
        )}
      </div>
    );
  }
  return (
    <div className="kits">
      <div className="kits-head">
        <Form.Select
          aria-label="Kit"
          value={kitId ?? ''}
          onChange={(event) => {
            setChosen(event.target.value);
            setOpened(null);
            setSure(false);
          }}
        >
          {kits.map(([id, one]) => (
            <option key={id} value={id}>
              {one.name}
            </option>
          ))}
        </Form.Select>
        <div className="acts">
          <Button variant="link" onClick={() => void begin({})}>
            Empty kit
          </Button>
          {kit && (
            <>
              <Button
                variant="link"
                onClick={() => void begin({ name: `${kit.name}, copy`, copy_of: kitId })}
              >
                Copy
              </Button>
              <a className="btn btn-link" href={`/api/kits/${kitId}/sfz`} download>
                As SFZ
              </a>
              {sure ? (
                <span className="sure">
                  <Button
                    variant="link"
                    onClick={() =>
                      void doing(async () => {
                        setSure(false);
                        await take(client.DELETE('/api/kits/{kit_id}', { params: { path } }));
                      })
                    }
                  >
                    Delete for good
                  </Button>
                  <Button variant="link" onClick={() => setSure(false)}>
                    Keep
                  </Button>
                </span>
              ) : (
                <Button variant="link" onClick={() => setSure(true)}>
                  Delete
                </Button>
              )}
            </>
          )}
        </div>
      </div>
      {kit && kitId && (
        <>
          <Form.Control
            key={kit.name}
            className="kit-name"
            aria-label="Name of the kit"
            defaultValue={kit.name}
            onBlur={(event) => {
              const name = event.target.value.trim();
              if (name && name !== kit.name)
                void doing(() =>
                  take(client.PATCH('/api/kits/{kit_id}', { params: { path }, body: { name } })),
                );
            }}
          />
          {Object.entries(kit.instruments ?? {}).map(([id, one]) =>
            opened === id ? (
              <InstrumentEditor
                key={id}
                instrument={one}
                pieces={pieces}
                onChange={(next) => void doing(() => put(id, kitId, next))}
              >
                <button type="button" className="plain-act" onClick={() => onUse(one)}>
                  use on {partName.toLowerCase()}
                </button>
                <button
                  type="button"
                  className="plain-act light"
                  onClick={() =>
                    void doing(() =>
                      take(
                        client.DELETE('/api/kits/{kit_id}/instruments/{instrument_id}', {
                          params: { path: { kit_id: kitId, instrument_id: id } },
                        }),
                      ),
                    )
                  }
                >
                  take out
                </button>
                <button type="button" className="plain-act light" onClick={() => setOpened(null)}>
                  less
                </button>
              </InstrumentEditor>
            ) : (
              <InstrumentLine
                key={id}
                one={one}
                piece={pieces.get(one.piece)?.name}
                onOpen={() => setOpened(id)}
              />
            ),
          )}
          {!Object.keys(kit.instruments ?? {}).length && (
            <p className="quiet">This kit is empty. Drop samples on the page and keep them in it.</p>
          )}
        </>
      )}
      <RecordedKit
        sessionId={sessionId}
        said={made?.kit_id === kitId ? made : null}
        onMade={(kit) => {
          setMade(kit);
          setChosen(kit.kit_id);
          setOpened(null);
          void queries.invalidateQueries({ queryKey: ['library'] });
        }}
      />
      <p className="about">
        A session keeps its own copy of what it uses: a kit may be changed or deleted, and sessions sound as
        before.{' '}
        <button type="button" className="plain-act" onClick={onClose}>
          <KeyOf of="view" /> back to the notes
        </button>
      </p>
    </div>
  );
}

function InstrumentLine({
  one,
  piece,
  onOpen,
}: {
  one: Instrument;
  piece: string | undefined;
  onOpen: () => void;
}) {
  return (
    <button type="button" className="kit-line" onClick={onOpen}>
      <strong>{one.name}</strong>
      <span>{piece}</span>
      <span className="quiet">{one.words?.join(', ')}</span>
      <span className="number">{counted(one.samples.length, 'sample')}</span>
    </button>
  );
}

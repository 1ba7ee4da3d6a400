import createClient from 'openapi-fetch';
import { PAGE_HEADERS } from './page';
import { reached, Refusal } from './refusal';
import type { components, paths } from './schema';

export { Refusal };

export type Schema = components['schemas'];
export type SessionState = Schema['SessionState'];
export type Document = Schema['Document'];
export type Part = Schema['Part'];
export type Source = Schema['Source'];
export type Layer = Schema['Layer'];
export type Instrument = Schema['Instrument'];
export type Piece = Schema['Piece'];
export type FindSettings = Schema['FindSettings'];
export type Decisions = Schema['DecisionColumns'];
export type Overview = Schema['Overview'];
export type PartOverview = Schema['PartOverview'];
export type LookPlace = Schema['LookPlace'];
export type Suspect = Schema['Suspect'];
export type SpillMap = Schema['SpillMap'];
export type Mark = Schema['Mark'];
export type Action = Schema['EditRequest']['action'];
export type ProblemBody = Schema['ProblemBody'];

export const client = createClient<paths>({
  baseUrl: window.location.origin,
  headers: PAGE_HEADERS,
  fetch: (request) => globalThis.fetch(request),
});

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** The data of an answer; throws `Refusal` with the server's own sentence. */
export async function take<T>(asked: Promise<Answer<T>>): Promise<T> {
  const answer = await reached(asked);
  if (!answer.response.ok) {
    const body = answer.error as Partial<ProblemBody> | undefined;
    throw new Refusal(
      {
        what: body?.what ?? `The server answered ${answer.response.status}.`,
        kept: body?.kept ?? 'What was acknowledged is kept.',
        todo: body?.todo ?? 'Try once more.',
        state: body?.state ?? null,
      },
      answer.response.status,
    );
  }
  return answer.data as T;
}

/** Send something that is no action with a schema of its own: a file, or what is answered with sound. */
export function post(
  address: string,
  body: BodyInit,
  headers: Record<string, string> = {},
): Promise<Response> {
  return fetch(address, { method: 'POST', headers: { ...PAGE_HEADERS, ...headers }, body });
}

/** Send a file as the body of a request, with progress; resolves with the answer's JSON. */
export function upload<T>(
  address: string,
  file: File,
  onProgress: (share: number) => void,
  more: Record<string, string> = {},
): Promise<T> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    const asked = new URLSearchParams({ name: file.name, ...more });
    request.open('POST', `${address}?${asked.toString()}`);
    request.responseType = 'json';
    for (const [name, word] of Object.entries(PAGE_HEADERS)) request.setRequestHeader(name, word);
    request.upload.onprogress = (event) => onProgress(event.total ? event.loaded / event.total : 0);
    request.onload = () => {
      if (request.status < 300) resolve(request.response as T);
      else reject(new Refusal(request.response as ProblemBody, request.status));
    };
    request.onerror = () =>
      reject(
        new Refusal(
          {
            what: `The upload of “${file.name}” was cut off.`,
            kept: 'Nothing was changed.',
            todo: 'Drop the file once more.',
          },
          0,
        ),
      );
    request.send(file);
  });
}

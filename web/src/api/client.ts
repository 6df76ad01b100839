import type { components } from './schema'

type Schemas = components['schemas']
export type Level = Schemas['LevelOut']
export type LevelCard = Schemas['LevelCard']
export type Stand = Schemas['StandOut']
export type MixEntry = Schemas['MixEntry']
export type Layout = Schemas['LayoutSettings']
export type Plant = Schemas['PlantOut']
export type Sample = Schemas['SampleOut']
export type Snapshot = Schemas['SnapshotOut']
export type Compared = Schemas['ComparedOut']
export type Bake = Schemas['BakeOut']
export type StandSettings = Schemas['StandSettings']
export type Condition = Schemas['ConditionSettings']
export type Noise = Schemas['NoiseSettings']
export type Arranged = Schemas['ArrangedOut']
export type Look = Schemas['LookOut']
export type Why = Schemas['WhyOut']
export type ConditionSet = Schemas['SetOut']
export type Shape = Schemas['ShapeOut']
export type ShapeIn = Schemas['ShapeIn']
export type ShapesKept = Schemas['ShapesOut']
export type Import = Schemas['DraftOut']
export type ImportOptions = Schemas['DraftOptions']
export type Mask = Schemas['MaskOut']
export type Resolution = Schemas['ResolutionOut']
export type GroundChanged = Schemas['GroundChangedOut']
export type Distances = Schemas['DistanceSettings']
export type Item = Schemas['ItemOut']
export type Marks = Schemas['Marks']
export type Bookmark = Schemas['Bookmark']
export type Wind = Schemas['Wind']
export type View = Schemas['ViewIn']
export type Cost = Schemas['CostOut']
export type LevelCost = Schemas['LevelCostOut']
export type Entry = Schemas['EntryOut']
export type Changed = Schemas['ChangedOut']
export type Moved = Schemas['MovedOut']
export type Tried = Schemas['TryOut']
export type Stroke = Schemas['StrokeIn']
export type Pulse = Schemas['PulseOut']
export type Beat = Schemas['BeatOut']
export type Person = Schemas['PersonOut']
export type Tip = Schemas['TipOut']
export type Ghost = Schemas['GhostOut']
export type Under = Schemas['UnderOut']
export type Selected = Schemas['SelectedOut']
export type Selection = Schemas['SelectionOut']
export type HandIn = Schemas['HandIn']
export type Session = Schemas['SessionOut']

/** A setting that another person has changed since one's own change of it was begun. */
export interface Clash {
  name: string
  was: unknown
  theirs: unknown
  yours: unknown
  who: string
}

/** A refusal of the server: a sentence to show, and the fields it names. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly fields: string[] = [],
    readonly clashes: Clash[] = [],
  ) {
    super(message)
  }
}

const cookie = (name: string) =>
  document.cookie
    .split('; ')
    .find((part) => part.startsWith(`${name}=`))
    ?.slice(name.length + 1) ?? ''

async function send(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<Response> {
  let response: Response
  try {
    response = await fetch(path.startsWith('/api') ? path : `/api${path}`, {
      method,
      signal,
      headers: { 'X-CSRFToken': cookie('csrftoken'), ...(body === undefined ? {} : { 'Content-Type': 'application/json' }) },
      body: body === undefined ? undefined : JSON.stringify(body),
    })
  } catch (error) {
    if (signal?.aborted) throw error
    throw new ApiError(0, 'The server does not answer. What you did last is not stored; it is kept here to try again.')
  }
  if (response.ok) return response
  const told = await response.json().catch(() => ({}))
  throw new ApiError(response.status, told.detail ?? `The server failed (${response.status}).`, told.fields, told.clashes)
}

/** Ask for JSON of a type from the API's schema. */
export async function ask<T>(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<T> {
  const response = await send(method, path, body, signal)
  return response.status === 204 ? (undefined as T) : response.json()
}

/** Ask for bytes. */
export async function askBytes(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<ArrayBuffer> {
  return (await send(method, path, body, signal)).arrayBuffer()
}

/** Send files with fields; `onShare` is told how much of them has gone out. */
export function upload<T>(path: string, form: FormData | string, onShare: (share: number) => void = () => {}): Promise<T> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest()
    request.open('POST', `/api${path}`)
    request.setRequestHeader('X-CSRFToken', cookie('csrftoken'))
    request.upload.onprogress = (event) => event.lengthComputable && onShare(event.loaded / event.total)
    request.onerror = () => reject(new ApiError(0, 'The server does not answer; the file was not brought in.'))
    request.onload = () => {
      let told: { detail?: string; fields?: string[] } = {}
      try {
        told = JSON.parse(request.responseText)
      } catch {
        // What is no JSON is no answer of ours.
      }
      if (request.status < 300) resolve(told as T)
      else reject(new ApiError(request.status, told.detail ?? `The server failed (${request.status}).`, told.fields))
    }
    request.send(form)
  })
}

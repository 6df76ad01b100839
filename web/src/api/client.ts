import type { components } from './schema'

type Schemas = components['schemas']
export type Level = Schemas['LevelOut']
export type LevelCard = Schemas['LevelCard']
export type Stand = Schemas['StandOut']
export type StandSettings = Schemas['StandSettings']
export type Condition = Schemas['ConditionSettings']
export type Distances = Schemas['DistanceSettings']
export type Item = Schemas['ItemOut']
export type Marks = Schemas['Marks']
export type Bookmark = Schemas['Bookmark']
export type View = Schemas['ViewIn']
export type Cost = Schemas['CostOut']
export type LevelCost = Schemas['LevelCostOut']
export type Entry = Schemas['EntryOut']
export type Changed = Schemas['ChangedOut']
export type Moved = Schemas['MovedOut']
export type Tried = Schemas['TryOut']
export type Stroke = Schemas['StrokeIn']
export type Pulse = Schemas['PulseOut']
export type Session = Schemas['SessionOut']

/** A refusal of the server: a sentence to show, and the fields it names. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly fields: string[] = [],
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
  throw new ApiError(response.status, told.detail ?? `The server failed (${response.status}).`, told.fields)
}

/** Ask for JSON of a type from the API's schema. */
export async function ask<T>(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<T> {
  return (await send(method, path, body, signal)).json()
}

/** Ask for bytes. */
export async function askBytes(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<ArrayBuffer> {
  return (await send(method, path, body, signal)).arrayBuffer()
}

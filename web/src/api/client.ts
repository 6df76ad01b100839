import createClient from 'openapi-fetch'
import { connection, watchLate } from './connection'
import type { components, paths } from './schema'

type Schemas = components['schemas']
export type Level = Schemas['LevelOut']
export type LevelCard = Schemas['LevelCard']
export type RemovedLevel = Schemas['RemovedLevel']
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
export type Look = Schemas['LookOut']
export type Why = Schemas['WhyOut']
export type ConditionSet = Schemas['SetOut']
export type StandSet = Schemas['StandSetOut']
export type Shape = Schemas['ShapeOut']
export type ShapeIn = Schemas['ShapeIn']
export type Import = Schemas['DraftOut']
export type ImportOptions = Schemas['DraftOptions']
export type Mask = Schemas['MaskOut']
export type MaskSource = Schemas['MaskSource']
export type Distances = Schemas['DistanceSettings']
export type Item = Schemas['ItemOut']
export type Marks = Schemas['Marks']
export type Bookmark = Schemas['Bookmark']
export type Work = Schemas['WorkOut']
export type Wind = Schemas['WindSettings']
export type Atmosphere = Schemas['Atmosphere']
export type Fog = Schemas['FogSettings']
export type Drawing = Schemas['DrawingSettings']
export type Tier = Schemas['Tier']
export type Device = Schemas['DeviceSettings']
export type Calibration = Schemas['CalibrationOut']
export type DrawnCell = Schemas['CellOut']
export type Walk = Schemas['Walk']
export type Plots = Schemas['Plots']
export type Plot = Schemas['Plot']
export type PlotWeek = Schemas['WeekOut']
export type PlotCost = Schemas['PlotCostOut']
export type ShareRequest = Schemas['Request']
export type WalkCheck = Schemas['CheckOut']
export type WalkResult = Schemas['WalkResult']
export type Pop = Schemas['PopOut']
export type Remedy = Schemas['RemedyOut']
export type Billboard = NonNullable<Schemas['CheckIn']['billboards']>[string]
export type SurveyState = Schemas['SurveyOut']
export type SurveyMap = Schemas['SurveyMap']
export type SeenCells = Schemas['SeenOut']
export type SurveyLine = Schemas['SurveyIn']['line']
export type RebalanceState = Schemas['RebalanceOut']
export type RebalanceChange = Schemas['ChangeOut']
export type RebalanceKind = Schemas['RebalanceIn']['may'][string][number]
export type View = Schemas['ViewIn']
export type FogOut = Schemas['FogOut']
export type Cost = Schemas['CostOut']
export type LevelCost = Schemas['LevelCostOut']
export type Entry = Schemas['EntryOut']
export type Recipe = Schemas['Recipe']
export type Handover = Schemas['HandoverOut']
export type HandoverChanges = Schemas['HandoverChanges']
export type BuildToken = Schemas['TokenOut']
export type Topic = NonNullable<
  NonNullable<paths['/api/levels/{slug}/journal']['get']['parameters']['query']>['topic']
>
export type ShelfItem = Schemas['ShelfOut']
export type ItemDetail = Schemas['ItemDetail']
export type Replaced = Schemas['ReplacedOut']
export type Finding = Schemas['FindingOut']
export type Traits = Schemas['TraitSettings']
export type Cards = Schemas['CardsIn']
export type Batch = Schemas['BatchOut']
export type Brought = Schemas['BroughtOut']
export type ImportRequest = Schemas['ImportRequest']
export type ShelfPage = Schemas['ShelfPage']
export type Job = Schemas['JobOut']
export type Opening = Schemas['OpeningOut']
export type AuditRecord = Schemas['RecordOut']
export type Changed = Schemas['ChangedOut']
export type Since = Schemas['Since']
export type Stroke = Schemas['StrokeIn']
export type Pulse = Schemas['PulseOut']
export type Beat = Schemas['BeatOut']
export type Person = Schemas['PersonOut']
export type GroundStroke = Schemas['GroundStrokeIn']
export type Tip = Schemas['TipOut']
export type Ghost = Schemas['GhostOut']
export type Under = Schemas['UnderOut']
export type Selected = Schemas['SelectedOut']
export type ListIn = Schemas['ListIn']
export type Listed = Schemas['ListedOut']
export type PlantGroup = Schemas['GroupOut']
export type Selection = Schemas['SelectionOut']
export type HandIn = Schemas['HandIn']
export type PinsIn = Schemas['PinsIn']
export type StandChange = Schemas['ChangeIn']
export type Session = Schemas['SessionOut']
export type Members = Schemas['MembersOut']
export type Member = Schemas['MemberOut']
export type SignedIn = Schemas['SignedInOut']
export type LinkMade = Schemas['LinkMade']
export type Role = Member['role']
export type LinkInfo = Schemas['LinkOut']
export type Installation = Schemas['InstallationOut']
export type Surface = Schemas['SurfaceOut']
export type SurfaceIn = Schemas['SurfaceIn']
export type Mark = Schemas['MarkIn']['mark']

export type Clash = Schemas['Clash']

/** A refusal of the server, or none that it gave: a sentence to show, and the fields it names. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly fields: string[] = [],
    readonly clashes: Clash[] = [],
    /** Whether the server gave a reason of its own. */
    readonly reasoned = true,
  ) {
    super(message)
  }

  /** Whether the server has refused this for good. All else may yet be done: it did not answer, it
   * failed, it is busy, or
   * the sign-in has ended. */
  get final(): boolean {
    return (
      this.reasoned && this.status >= 400 && this.status < 500 && ![401, 408, 425, 429].includes(this.status)
    )
  }
}

export const cookie = (name: string) =>
  document.cookie
    .split('; ')
    .find((part) => part.startsWith(`${name}=`))
    ?.slice(name.length + 1) ?? ''

const NO_ANSWER = 'The server does not answer.'
const TOO_LATE = 'The server has not answered in time.'
const STALE_PAGE = 'CSRF check Failed'
/**
 * How long an answer is waited for, in ms: most come in a moment, but what plants a whole level again takes
 * its time.
 */
const PATIENCE = 30_000
const LONG_PATIENCE = 180_000
const LONG_WORK =
  'try resolution compare forecast exchange back redo undo new-stand duplicate shapes surfaces condition-sets'
const TAKES_LONG = new RegExp(`/(${LONG_WORK.replaceAll(' ', '|')}|calibrate)\\b|/levels$`)

/** `fetch` with the whole body read, so that an answer which breaks off halfway counts as none. */
async function fetchWhole(request: Request, signal: AbortSignal): Promise<Response> {
  const response = await fetch(request, { signal })
  const body = await response.arrayBuffer()
  return new Response(response.status === 204 || response.status === 304 ? null : body, response)
}

/**
 * `fetch` for the API: signed for this session, not waited for without end, and every refusal thrown as an
 * ApiError.
 */
async function send(request: Request, again = true): Promise<Response> {
  const spare = again ? request.clone() : null
  const path = new URL(request.url).pathname
  const limit = AbortSignal.timeout(TAKES_LONG.test(path) ? LONG_PATIENCE : PATIENCE)
  request.headers.set('X-CSRFToken', cookie('csrftoken'))
  const done = watchLate()
  let response: Response
  try {
    response = await fetchWhole(request, AbortSignal.any([request.signal, limit]))
  } catch (error) {
    if (request.signal.aborted) throw error
    connection.away = limit.aborted ? TOO_LATE : NO_ANSWER
    throw new ApiError(0, connection.away, [], [], false)
  } finally {
    done()
  }
  if (response.ok) {
    connection.away = ''
    return response
  }
  const refusal = await response.json().catch(() => null)
  if (response.status === 403 && spare && (!refusal || refusal.detail === STALE_PAGE)) {
    // The page's token is another sign-in's: have it renewed, once.
    await fetch('/api/session')
    return send(spare, false)
  }
  const error = new ApiError(
    response.status,
    refusal?.detail ?? `The server failed (${response.status}).`,
    refusal?.fields,
    refusal?.clashes,
    !!refusal?.detail,
  )
  connection.away = response.status >= 500 ? error.message : ''
  if (response.status === 401 && !path.endsWith('/session')) connection.signedOut = true
  throw error
}

/** The API, typed by what the server says of itself. */
export const api = createClient<paths>({ baseUrl: location.origin, fetch: send })

/** What the API answers. A refusal has been thrown as an ApiError before. */
export async function answer<T>(asked: Promise<{ data?: T }>): Promise<T> {
  return (await asked).data!
}

/** The bytes that the API answers, asked for with `parseAs: 'stream'`. */
export async function answerBytes(asked: Promise<{ response: Response }>): Promise<ArrayBuffer> {
  return (await asked).response.arrayBuffer()
}

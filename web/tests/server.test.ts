import { beforeEach, describe, expect, it } from 'vitest'
import { effectScope, nextTick, ref } from 'vue'
import { answer, api, type AuditRecord } from '../src/api/client'
import { useSession } from '../src/pages/session'
import { useAttempt } from '../src/shared/useAttempt'
import { rowsBefore, useServer, useServerPages } from '../src/shared/useServer'
import { inScope, leave, openLevel, partOf, refuse, serve, until } from './help'

beforeEach(() => void openLevel())
const record = (id: number) => partOf<AuditRecord>({ id, what: `${id}` })

describe('what the server knows', () => {
  it('is asked once for all that show it, again for another person, and takes over answers', async () => {
    const asked = serve({ 'GET /api/tips': [{ key: 'a' }] })
    const tips = () => inScope(() => useServer(['tips'], (signal) => api.GET('/api/tips', { signal })))
    const [one, other] = [tips(), tips()]
    await until(() => one.data.value && other.data.value)
    expect(asked.length).toBe(1)
    one.put([])
    expect(other.data.value).toEqual([])
    useSession().name = 'south'
    await until(() => asked.length === 2 && other.data.value?.length)
    expect(one.data.value).toEqual([{ key: 'a' }])
  })
  it('is asked again while it goes on, not before it may be and not when it is gone', async () => {
    let left = 2
    const asked = serve({ 'GET /api/jobs': () => [{ id: `${left--}` }] })
    const enabled = ref(false)
    const goesOn = (jobs?: { id: string }[]) => !!jobs && jobs[0]!.id !== '0' && 5
    const jobs = inScope(() =>
      useServer(['jobs'], (signal) => api.GET('/api/jobs', { signal }), { enabled, every: goesOn }),
    )
    await nextTick()
    expect(asked.length).toBe(0)
    enabled.value = true
    await until(() => jobs.data.value?.[0]!.id === '0')
    expect(asked.length).toBe(3)
    leave()
    left = 2
    await nextTick()
    expect(asked.length).toBe(3)
  })
  it('says why it is not there, until it is', async () => {
    const answers: unknown[] = [refuse('It is away.'), []]
    serve({ 'GET /api/tips': () => answers.shift() })
    const tips = inScope(() => useServer(['tips'], (signal) => api.GET('/api/tips', { signal })))
    await until(() => tips.trouble.value === 'It is away.')
    await tips.read()
    expect([tips.trouble.value, tips.data.value]).toEqual(['', []])
  })
  it('comes in pages, each from where the one before ended', async () => {
    const pages = [[record(9), record(8)], [record(7)]]
    serve({ 'GET /api/audit': () => pages.shift() })
    const before: (number | undefined)[] = []
    const log = inScope(() =>
      useServerPages<AuditRecord[]>(
        ['audit'],
        (id) => (before.push(id), api.GET('/api/audit', { params: { query: { before: id } } })),
        { next: rowsBefore(2) },
      ),
    )
    await until(() => log.more.value)
    await log.onwards()
    expect(log.pages.value.flat().map((r) => r.id)).toEqual([9, 8, 7])
    expect([before, log.more.value]).toEqual([[undefined, 8], false])
  })
})

describe('an attempt', () => {
  it('is busy while it goes on and says what was wrong until the next', async () => {
    serve({ 'GET /api/tips': refuse('It is away.'), 'GET /api/jobs': [] })
    const { trouble, busy, attempt } = effectScope().run(useAttempt)!
    const first = attempt(() => answer(api.GET('/api/tips')))
    expect(busy.value).toBe(true)
    expect(await first).toBe(false)
    expect([busy.value, trouble.value]).toEqual([false, 'It is away.'])
    expect(await attempt(() => answer(api.GET('/api/jobs')))).toBe(true)
    expect(trouble.value).toBe('')
  })
})

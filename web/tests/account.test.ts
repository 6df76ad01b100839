import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import type { Component } from 'vue'
import { createMemoryHistory, createRouter } from 'vue-router'
import KeySheet from '../src/level/KeySheet.vue'
import { useKeys } from '../src/level/keys'
import { useSession } from '../src/pages/session'
import InstallationSettings from '../src/pages/InstallationSettings.vue'
import OwnAccount from '../src/pages/OwnAccount.vue'
import UseLink from '../src/pages/UseLink.vue'
import { at, choose, openLevel, refuse, serve, settled, show, until, write, partOf } from './help'

let page: Awaited<ReturnType<typeof show>> | null = null
const SESSION = { name: 'north', keys: {}, mark: 'diamond', may_make: true, looks_after: false }
beforeEach(() => {
  openLevel()
  useSession().take(partOf({ ...SESSION }))
})
afterEach(() => {
  page?.end()
  page = null
  document.body.innerHTML = ''
})
const text = () => page!.place.textContent.replace(/\s+/g, ' ')
const disabled = (name: string) => (at(name) as HTMLButtonElement).disabled
async function open(component: Component, props: Record<string, unknown> = {}) {
  const nothing = { template: '<i />' }
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [{ path: '/:any(.*)*', component: nothing }],
  })
  page = await show(component, props, [router])
  return router
}

describe('a link that works once', () => {
  const INVITED = {
    ...{ kind: 'invitation', by: 'lead', level: 'Fell', role: 'artist', person: '' },
    ...{ until: '2026-03-04T10:00:00Z', new_accounts: true },
  }
  it('lets who is signed in join at once', async () => {
    serve({ 'GET /api/links/t': INVITED, 'POST /api/links/t/join': { slug: 'fell' } })
    const router = await open(UseLink, { token: 't' })
    await until(() => at('join'))
    expect(text()).toContain('lead invites you to the level Fell as an artist.')
    expect(at('link-go')).toBeNull()
    at('join').click()
    await until(() => router.currentRoute.value.path === '/levels/fell/planting')
  })
  it('makes an account for who has none, once name and password will do, or says why not', async () => {
    useSession().take(partOf({ ...SESSION, name: null }))
    let taken = true
    const asked = serve({
      'GET /api/links/t': INVITED,
      'POST /api/links/t/account': () =>
        taken ? refuse('name: there is a person called north already.') : { ...SESSION, name: 'east' },
    })
    const router = await open(UseLink, { token: 't' })
    await until(() => at('link-go'))
    await write('link-password', 'too short')
    await write('link-name', ' east ')
    expect(disabled('link-go')).toBe(true)
    await write('link-password', 'long enough now')
    expect(disabled('link-go')).toBe(false)
    const form = at('link-go').closest('form')!
    form.requestSubmit()
    await until(() => at('link-trouble'))
    expect(at('link-trouble').textContent).toContain('north already')
    taken = false
    form.requestSubmit()
    await until(() => router.currentRoute.value.path === '/levels')
    expect(asked[asked.length - 1]!.body).toEqual({ name: 'east', password: 'long enough now' })
    expect(useSession().name).toBe('east')
  })
  it('makes no account where none may be made', async () => {
    useSession().take(partOf({ ...SESSION, name: null }))
    serve({ 'GET /api/links/t': { ...INVITED, new_accounts: false } })
    await open(UseLink, { token: 't' })
    await until(() => at('have-account'))
    expect(at('link-go')).toBeNull()
    expect(text()).toContain('No new accounts are made here')
  })
  it('asks for a new password where it is for one, and nothing where it has been used', async () => {
    const reset = { ...INVITED, kind: 'password', person: 'south' }
    const asked = serve({ 'GET /api/links/t': reset, 'POST /api/links/t/password': SESSION })
    const router = await open(UseLink, { token: 't' })
    await until(() => at('link-go'))
    expect([at('link-name'), at('join')]).toEqual([null, null])
    await write('link-password', 'another long one')
    at('link-go').closest('form')!.requestSubmit()
    await until(() => router.currentRoute.value.path === '/levels')
    expect(asked[asked.length - 1]!.body).toEqual({ password: 'another long one' })
    page!.end()
    serve({ 'GET /api/links/t': () => refuse('This link has been used.') })
    await open(UseLink, { token: 't' })
    await until(() => at('link-trouble'))
    expect(text()).toContain('To the levels')
  })
})

describe('one’s own account', () => {
  const here = { id: 'a', here: true, address: '10.0.0.2', since: null, seen: null, program: 'curl/8' }
  const there = {
    ...{ id: 'b', here: false, address: '10.0.0.3', since: '2026-03-04T10:00:00Z', seen: null },
    program: 'Mozilla/5.0 (X11; Linux x86_64) Gecko/20100101 Firefox/140.0',
  }
  it('tells where one is signed in by what browsers say of themselves, and ends it', async () => {
    const asked = serve({
      'GET /api/session/tokens': [],
      'GET /api/sessions': [here, there],
      'DELETE /api/sessions/b': [here],
    })
    await open(OwnAccount)
    await until(() => at('sessions'))
    expect(at('sessions').textContent).toMatch(/curl\/8.*this page.*Firefox, Linux/s)
    expect(at('end-a')).toBeNull()
    at('end-b').click()
    await until(() => at('end-b') === null)
    expect(at('end-others')).toBeNull()
    const sessions = asked.map((a) => a.what).filter((what) => what.includes('sessions'))
    expect(sessions).toEqual(['GET /api/sessions', 'DELETE /api/sessions/b'])
  })
  it('makes a token, shows it once, and ends it', async () => {
    const night = { id: 3, name: 'Night build', at: '2026-03-04T10:00:00Z', used: null }
    const asked = serve({
      'GET /api/sessions': [here],
      'GET /api/session/tokens': [],
      'POST /api/session/tokens': { token: 'thicket-secret', tokens: [night] },
      'DELETE /api/session/tokens/3': [],
    })
    await open(OwnAccount)
    expect(disabled('make-token')).toBe(true)
    await write('token-name', ' Night build ')
    at('make-token').closest('form')!.requestSubmit()
    await until(() => at('fresh-token'))
    expect(at('fresh-token').textContent).toBe('thicket-secret')
    expect(at('tokens').textContent).toMatch(/Night build.*never/s)
    expect(asked.find((a) => a.what.startsWith('POST'))!.body).toEqual({ name: 'Night build' })
    at('end-token').click()
    await until(() => at('end-token') === null)
    expect(at('fresh-token')).toBeNull()
  })
  it('changes name and mark, and leaves them where the server refuses', async () => {
    const asked = serve({
      'GET /api/session/tokens': [],
      'GET /api/sessions': [here],
      'PUT /api/session/name': () => refuse('name: that name is taken.'),
      'PUT /api/session/mark': { ...SESSION, mark: 'ring' },
    })
    await open(OwnAccount)
    expect(disabled('own-name-keep')).toBe(true)
    await write('own-name', 'northerly')
    at('own-name-keep').closest('form')!.requestSubmit()
    await until(() => at('account-trouble'))
    expect(useSession().name).toBe('north')
    const marks = [...page!.place.querySelectorAll<HTMLElement>('[data-test^=mark-]')]
    expect(marks.length).toBeGreaterThan(4)
    marks[2]!.click()
    await until(() => useSession().mark === 'ring')
    expect(asked[asked.length - 1]!.body).toEqual({ mark: marks[2]!.dataset.test!.slice(5) })
  })
})

describe('the installation', () => {
  const KEPT = {
    ...{ name: 'Ours', address: '', sign_up: 'invited', makers: 'artists', people: 4, levels: 2 },
    ...{ database_bytes: 123e6, file_bytes: 0, last_backup: null },
  }
  it('is kept once something is another, as it was written, and says what it holds', async () => {
    let told: object = KEPT
    const asked = serve({
      'GET /api/installation': KEPT,
      'PUT /api/installation': (body: unknown) => (told = { ...KEPT, ...(body as object) }),
    })
    await open(InstallationSettings)
    await until(() => at('last-backup'))
    expect(at('last-backup').classList.contains('over')).toBe(true)
    expect(text()).toMatch(/Database\s*123 MB/)
    expect(disabled('installation-keep')).toBe(true)
    await write('installation-address', 'https://thicket.example')
    await choose('makers', 'everybody')
    expect(disabled('installation-keep')).toBe(false)
    at('installation-keep').closest('form')!.requestSubmit()
    await until(() => disabled('installation-keep'))
    const sent = { name: 'Ours', address: 'https://thicket.example', sign_up: 'invited', makers: 'anyone' }
    expect(asked[asked.length - 1]!.body).toEqual(sent)
    expect(told).toMatchObject(sent)
  })
  it('says why it was not kept, with the draft as it is', async () => {
    serve({
      'GET /api/installation': KEPT,
      'PUT /api/installation': () => refuse('address: that is no address of a page.'),
    })
    await open(InstallationSettings)
    await until(() => at('installation-keep'))
    const address = await write('installation-address', 'nonsense')
    at('installation-keep').closest('form')!.requestSubmit()
    await until(() => at('installation-trouble'))
    expect([address.value, disabled('installation-keep')]).toEqual(['nonsense', false])
  })
})

describe('the sheet of keys', () => {
  const press = (key: string) =>
    at('keys').dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }))
  it('changes one by pressing another, refuses what is taken or fixed, and puts all back', async () => {
    const kept = vi.fn((body: unknown) => ({ ...SESSION, ...(body as object) }))
    serve({ 'PUT /api/session/keys': kept })
    await open(KeySheet, { modelValue: true })
    await until(() => at('key-thicken'))
    const keys = useKeys()
    press('z')
    expect(kept).not.toHaveBeenCalled()
    at('key-thicken').click()
    await until(() => at('key-thicken').textContent.includes('…'))
    press('n')
    await until(() => at('keys-trouble'))
    expect(at('keys-trouble').textContent).toContain('N is taken by: Thin')
    press('Enter')
    await until(() => at('keys-trouble')?.textContent?.includes('fixed meaning'))
    press('f')
    await until(() => keys.of('thicken') === 'F')
    await until(() => at('keys-trouble') === null)
    expect([keys.byKey.get('f'), keys.byKey.get('t')]).toEqual(['thicken', undefined])
    at('key-thin').click()
    press('Escape')
    await settled(10)
    expect(keys.of('thin')).toBe('N')
    at('keys-reset').click()
    await until(() => keys.of('thicken') === 'T' && kept.mock.calls.length === 2)
    expect(kept).toHaveBeenLastCalledWith({ keys: {} })
  })
})

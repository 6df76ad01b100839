import { afterEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'
import ChangePassword from '../src/pages/ChangePassword.vue'
import { at, openLevel, refuse, serve, show, until, write } from './help'

let page: Awaited<ReturnType<typeof show>> | null = null
afterEach(() => page?.end())

describe('changing the password', () => {
  it('wants it twice and long enough, says what was wrong, and closes when it is done', async () => {
    openLevel()
    const answers = [refuse('old: this is not your password.'), { name: 'north', keys: {} }]
    const asked = serve({ 'PUT /api/session/password': () => answers.shift() })
    const onClose = vi.fn()
    page = await show(ChangePassword, { onClose })
    const go = () => at('password-go') as HTMLButtonElement
    await until(() => at('password-old'))
    await write('password-old', 'slate-and-birch')
    await write('password-new', 'short')
    await until(() => at('password-new').textContent.includes('At least 10'))
    await write('password-new', 'scree-and-rowan')
    await write('password-twice', 'scree-and-rowen')
    await until(() => at('password-twice').textContent.includes('Not the same'))
    expect(go().disabled).toBe(true)
    await write('password-twice', 'scree-and-rowan')
    expect(go().disabled).toBe(false)
    go().click()
    await until(() => at('password-trouble'))
    expect(at('password-trouble').textContent).toContain('not your password')
    expect(onClose).not.toHaveBeenCalled()
    await nextTick()
    go().click()
    await until(() => onClose.mock.calls.length)
    expect(asked[1]!.body).toEqual({ old: 'slate-and-birch', new: 'scree-and-rowan' })
  })
})

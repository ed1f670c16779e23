import { renderHook } from '@testing-library/react'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { dismiss, dismissAll, sayError, useSaid } from './errors'
import { keyName, useKey, useKeys } from './hooks'
import { change } from './settings'
import { act } from '@testing-library/react'

const press = (key: string, on: EventTarget = document.body, more: KeyboardEventInit = {}) =>
  on.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more }))

afterEach(() => {
  change({ keys: true })
  document.body.replaceChildren()
  vi.useRealTimers()
})

describe('a key', () => {
  it('acts, unless somebody types, holds alt, or another took it', () => {
    const act = vi.fn()
    renderHook(() => useKey('f', act))
    press('f')
    press('F')
    expect(act).toHaveBeenCalledTimes(2)
    for (const tag of ['input', 'textarea', 'select'])
      press('f', document.body.appendChild(document.createElement(tag)))
    press('f', document.body, { altKey: true })
    press('f', document.body, { ctrlKey: true })
    document.body.addEventListener('keydown', (e) => e.preventDefault(), { once: true })
    press('f')
    expect(act).toHaveBeenCalledTimes(2)
  })

  it('of one letter can be turned off; others stay', () => {
    const [letter, undo] = [vi.fn(), vi.fn()]
    renderHook(() => {
      useKey('f', letter)
      useKey('ctrl+z', undo)
    })
    change({ keys: false })
    press('f')
    press('z', document.body, { ctrlKey: true })
    press('z', document.body, { metaKey: true })
    expect(letter).not.toHaveBeenCalled()
    expect(undo).toHaveBeenCalledTimes(2)
  })

  it('does not reach what lies behind a dialogue', () => {
    const act = vi.fn()
    renderHook(() => useKey('f', act))
    const dialogue = document.body.appendChild(document.createElement('div'))
    dialogue.className = 'ant-modal-wrap'
    press('f')
    expect(act).not.toHaveBeenCalled()
    press('f', dialogue)
    expect(act).toHaveBeenCalledTimes(1)
    dialogue.style.display = 'none'
    press('f')
    expect(act).toHaveBeenCalledTimes(2)
  })

  it('is named with what is held: shift counts where it makes no other sign', () => {
    const name = (key: string, more: KeyboardEventInit = {}) => keyName(new KeyboardEvent('keydown', { key, ...more }))
    expect(name('?', { shiftKey: true })).toBe('?')
    expect(name('ArrowLeft', { shiftKey: true })).toBe('shift+arrowleft')
    expect(name('Z', { shiftKey: true, ctrlKey: true })).toBe('ctrl+shift+z')
  })

  it('that starts work wants a second one soon after', () => {
    vi.useFakeTimers()
    const start = vi.fn()
    renderHook(() => useKeys('g', 'r', start))
    press('r')
    expect(start).not.toHaveBeenCalled()
    press('g')
    vi.advanceTimersByTime(1900)
    press('r')
    expect(start).toHaveBeenCalledTimes(1)
    press('r')
    press('g')
    vi.advanceTimersByTime(2100)
    press('r')
    expect(start).toHaveBeenCalledTimes(1)
  })
})

describe('what went wrong', () => {
  it('stays until it is read; the same again is said once, and five at most', () => {
    const said = renderHook(() => useSaid())
    const texts = () => said.result.current.map((s) => s.text)
    act(() => ['a', 'b', 'a'].forEach(sayError))
    expect(texts()).toEqual(['b', 'a'])
    act(() => ['c', 'd', 'e', 'f'].forEach(sayError))
    expect(texts()).toEqual(['a', 'c', 'd', 'e', 'f'])
    act(() => dismiss(said.result.current[1]!.id))
    expect(texts()).toEqual(['a', 'd', 'e', 'f'])
    act(() => void dismissAll())
    expect(texts()).toEqual([])
  })
})

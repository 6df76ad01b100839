/** What Vuetify asks of a browser that jsdom lacks. */
class Watcher {
  observe(): void {}
  unobserve(): void {}
  disconnect(): void {}
}
Object.assign(globalThis, { ResizeObserver: Watcher, IntersectionObserver: Watcher })
globalThis.matchMedia ??= (media) =>
  Object.assign(new EventTarget(), {
    media,
    matches: false,
    onchange: null,
    addListener() {},
    removeListener() {},
  })
Object.assign(globalThis, { visualViewport: globalThis.visualViewport ?? new EventTarget() })
Element.prototype.setPointerCapture ??= () => {}
Element.prototype.scrollIntoView = () => undefined

/** What Vuetify asks of a browser that jsdom lacks. */
class Watcher {
  observe(): void {}
  unobserve(): void {}
  disconnect(): void {}
}
Object.assign(globalThis, { ResizeObserver: Watcher, IntersectionObserver: Watcher })
globalThis.matchMedia ??= ((media: string) => ({
  media,
  matches: false,
  addEventListener() {},
  removeEventListener() {},
})) as never
globalThis.visualViewport ??= new EventTarget() as never
Element.prototype.setPointerCapture ??= () => {}
Element.prototype.scrollIntoView = () => undefined

import * as THREE from 'three'
import { describe, expect, it } from 'vitest'
import type { Fog } from '../src/api/client'
import { left, lightOf, meanDensity } from '../src/stage/fog'
import type { View } from '../src/api/client'
import { states } from '../src/stage/distances'
import { boxVisible, planes } from '../src/stage/frustum'
import { GroundMaterials } from '../src/stage/groundMaterials'
import { Ground } from '../src/stage/ground'
import { coarser, isolines } from '../src/stage/isolines'
import { decode, gather, STRIDE, type Plants } from '../src/stage/payload'
import { numbers } from './help'

function bytesOf(plants: Plants, before = 0): ArrayBuffer {
  const head = before + 8
  const bytes = new ArrayBuffer(head + plants.count * (STRIDE * 4 + 9))
  const view = new DataView(bytes, before)
  view.setUint32(0, 0x4b545031)
  view.setUint32(4, plants.count, true)
  new Float32Array(bytes, head, plants.form.length).set(plants.form)
  new BigUint64Array(bytes, head + plants.form.length * 4, plants.count).set(plants.id)
  new Uint8Array(bytes, head + plants.form.length * 4 + plants.count * 8).set(plants.item)
  return bytes
}
function some(count: number, seed: number): Plants {
  const draw = numbers(seed)
  return {
    count,
    form: Float32Array.from({ length: count * STRIDE }, draw),
    id: BigUint64Array.from({ length: count }, () => BigInt(Math.floor(draw() * 2 ** 52)) << 11n),
    item: Uint8Array.from({ length: count }, () => draw() * 5),
  }
}

describe('plants as bytes', () => {
  it('are read as they were written, wherever they begin', () => {
    for (const [count, before] of [
      [0, 0],
      [7, 0],
      [12, 16],
    ] as const)
      expect(decode(bytesOf(some(count, 3), before), before)).toEqual(some(count, 3))
  })
  it('are refused when they are something else', () =>
    expect(() => decode(new ArrayBuffer(64))).toThrow('not plants'))
  it('are gathered from several sets in order, those that pass', () => {
    const [a, b] = [some(9, 1), some(6, 2)]
    const all = gather([a, b], (p, k) => p.item[k]! > 1)
    const want = [a, b].flatMap((p) => [...p.id].filter((_, k) => p.item[k]! > 1))
    expect([...all.id]).toEqual(want)
    expect(all.form.length).toBe(want.length * STRIDE)
  })
})

describe('what the eye may see', () => {
  it('is what three.js says of the same camera, for boxes anywhere', () => {
    const draw = numbers(11)
    for (let round = 0; round < 40; round++) {
      const view = {
        x: draw() * 100,
        y: draw() * 40,
        z: draw() * 100,
        heading: draw() * 360,
        pitch: draw() * 100 - 50,
        fov: 30 + draw() * 60,
        aspect: 0.6 + draw() * 1.6,
      } as View
      const camera = new THREE.PerspectiveCamera(view.fov, view.aspect, 0.2, 1e6)
      camera.rotation.set((view.pitch * Math.PI) / 180, (-view.heading * Math.PI) / 180, 0, 'YXZ')
      camera.position.set(view.x, view.y, view.z)
      camera.updateMatrixWorld()
      const frustum = new THREE.Frustum().setFromProjectionMatrix(
        new THREE.Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse),
      )
      const ours = planes(view)
      for (let k = 0; k < 60; k++) {
        const low = [draw() * 200 - 50, draw() * 60 - 10, draw() * 200 - 50]
        const high = low.map((v) => v + draw() * 25)
        expect(boxVisible(ours, [...low, ...high])).toBe(
          frustum.intersectsBox(new THREE.Box3(new THREE.Vector3(...low), new THREE.Vector3(...high))),
        )
      }
    }
  })
})

describe('distances', () => {
  it('leave no gap: every distance up to the last shows one state, or two in a fade', () => {
    const draw = numbers(5)
    for (let round = 0; round < 200; round++) {
      const lods = 1 + Math.floor(draw() * 3)
      const steps = Array.from({ length: lods - 1 }, () => 5 + draw() * 80).sort((a, b) => a - b)
      const billboard = draw() < 0.5
      const last = 90 + draw() * 60
      const gone = last + 10 + draw() * 300
      const fade = draw() * 8
      const s = states({ steps, billboard: last, gone, fade, shadow: 0, by_size: false }, lods, billboard)
      expect(s.start.length).toBe(lods + (billboard ? 1 : 0))
      for (let d = 0; d < gone; d += gone / 97) {
        const shown = s.show.filter((from, k) => d >= from && d < s.hide[k]!).length
        const inFade = s.start.slice(1).some((edge) => Math.abs(d - edge) <= fade / 2 + 1e-9)
        if (shown < 1 || (!inFade && shown !== 1))
          expect.fail(`${shown} states at ${d} m of ${JSON.stringify(s)}`)
      }
      expect(s.hide.some((to) => to > gone)).toBe(false)
    }
  })
})

describe('lines of equal value', () => {
  const side = 80
  const cone = {
    columns: side,
    rows: side,
    data: Uint8Array.from({ length: side * side }, (_, k) =>
      Math.max(0, 250 - 6 * Math.hypot((k % side) + 0.5 - 40, Math.floor(k / side) + 0.5 - 40)),
    ),
  }
  it('of a cone are a circle of the right radius and length', () => {
    const radius = (250 - 100.5) / 6
    const pieces = isolines(cone, 100.5)
    let length = 0
    for (let k = 0; k < pieces.length; k += 4) {
      const [x0, z0, x1, z1] = [0, 1, 2, 3].map((i) => pieces[k + i]! * side - 40) as [
        number,
        number,
        number,
        number,
      ]
      length += Math.hypot(x1 - x0, z1 - z0)
      expect(Math.hypot(x0, z0)).toBeCloseTo(radius, 0)
    }
    expect(length / (2 * Math.PI * radius)).toBeCloseTo(1, 1)
  })
  it('are drawn through means when there are too many cells', () => {
    const small = coarser(cone, 20)
    expect([small.columns, small.rows]).toEqual([20, 20])
    const mean = (d: Uint8Array) => d.reduce((n, v) => n + v, 0) / d.length
    expect(Math.abs(mean(small.data) - mean(cone.data))).toBeLessThan(1)
  })
})

describe('pointing at the ground', () => {
  const columns = 40
  const heights = Float32Array.from(
    { length: 41 * 41 },
    (_, k) => 3 * Math.sin((k % 41) / 5) + 2 * Math.cos(Math.floor(k / 41) / 7),
  )
  const ground = new Ground(heights, new Uint8Array(0), 0, columns, 40, 2, -5, 5)
  it('meets it where the ray and the ground have one height, and no ground between', () => {
    const draw = numbers(8)
    let met = 0
    for (let k = 0; k < 100; k++) {
      const [ox, oy, oz] = [draw() * 80, 12 + draw() * 10, draw() * 80]
      const [dx, dy, dz] = [draw() - 0.5, -0.1 - draw(), draw() - 0.5]
      const length = Math.hypot(dx, dy, dz)
      const hit = ground.meet(ox, oy, oz, dx / length, dy / length, dz / length)
      if (!hit) continue
      met++
      expect(hit[1]).toBeCloseTo(ground.heightAt(hit[0], hit[2]), 2)
      for (let t = 0.1; t < 0.95; t += 0.1)
        expect(oy + (hit[1] - oy) * t).toBeGreaterThan(
          ground.heightAt(ox + (hit[0] - ox) * t, oz + (hit[2] - oz) * t) - 0.3,
        )
    }
    expect(met).toBeGreaterThan(50)
    expect(ground.meet(10, 20, 10, 0, 1, 0)).toBeNull()
  })
  it('has the height of its corners, and their mean between', () => {
    expect(ground.heightAt(20, 30)).toBeCloseTo(heights[15 * 41 + 10]!, 4)
    expect(ground.heightAt(21, 31)).toBeCloseTo(
      (heights[15 * 41 + 10]! + heights[15 * 41 + 11]! + heights[16 * 41 + 10]! + heights[16 * 41 + 11]!) / 4,
      4,
    )
    expect(ground.heightAt(-50, 20)).toBeCloseTo(ground.heightAt(0, 20), 5)
  })
})

describe('fog', () => {
  const fog = { kind: 'exponential', density: 0.004, start: 20, end: 420, thinning: 0, level: 0, colour: '' }
  const of = (part: object) => ({ ...fog, ...part }) as Fog
  it('leaves what its kind says', () => {
    expect(left(of({ kind: 'none' }), 900, 0, 0)).toBe(1)
    expect(left(of({}), 250, 0, 0)).toBeCloseTo(Math.exp(-1), 12)
    expect(left(of({ kind: 'squared' }), 250, 0, 0)).toBeCloseTo(Math.exp(-1), 12)
    expect([10, 220, 500].map((d) => left(of({ kind: 'linear' }), d, 0, 0))).toEqual([1, 0.5, 0])
  })
  it('counts the mean density along the line of sight', () => {
    const thin = of({ thinning: 30, level: 100 })
    for (const [eye, place] of [
      [90, 95],
      [90, 180],
      [140, 140],
      [200, 110],
    ] as const) {
      let sum = 0
      for (let k = 0; k < 4000; k++) {
        const y = eye + ((place - eye) * (k + 0.5)) / 4000
        sum += Math.exp(-Math.max(y - 100, 0) / 30) / 4000
      }
      expect(meanDensity(thin, eye, place)).toBeCloseTo(sum, 4)
    }
  })
  it('is shown in the very colour that was chosen', () => {
    const light = lightOf('#8899aa')
    const shown = light.toArray().map((c) => Math.round(255 * Math.sqrt(c / (1 + 0.18 * c))))
    expect(shown).toEqual([0x88, 0x99, 0xaa])
  })
})

describe('the ground’s materials', () => {
  it('are one for each set of things that are switched on, made once', () => {
    const uniforms = {
      uPaintOn: { value: 0 },
      uSheetOn: { value: 0 },
      uOverlayOn: { value: 0 },
      uBrush: { value: new THREE.Vector4() },
    }
    const materials = new GroundMaterials({ uniforms, defines: { LEAN: '' } })
    const plain = materials.now
    expect(plain.defines).toEqual({ LEAN: '' })
    uniforms.uBrush.value.z = 12
    uniforms.uOverlayOn.value = 1
    const reached = materials.now
    expect(reached.defines).toEqual({ LEAN: '', SUITED: '', BRUSH: '' })
    expect(reached.uniforms.uBrush).toBe(uniforms.uBrush)
    uniforms.uBrush.value.set(0, 0, 0, 0)
    uniforms.uOverlayOn.value = 0
    expect(materials.now).toBe(plain)
  })
})

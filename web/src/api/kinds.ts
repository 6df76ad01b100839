/* The kinds of site condition, from `thicket.site.kinds`: what each is called, measured
 * in and made of. Written by `./kt lint --write-types`. */
export const KINDS = {
  "altitude": {
    "label": "Altitude",
    "unit": "m",
    "says": "how high the ground lies",
    "step": 1.0,
    "digits": 1,
    "begin": null,
    "parameters": [],
    "radius": 20.0,
    "radiusLabel": "",
    "radiusStep": 1.0,
    "distance": false
  },
  "slope": {
    "label": "Slope",
    "unit": "°",
    "says": "how steep it is",
    "step": 0.5,
    "digits": 1,
    "begin": [
      0.0,
      25.0,
      0.0,
      8.0
    ],
    "parameters": [],
    "radius": 20.0,
    "radiusLabel": "",
    "radiusStep": 1.0,
    "distance": false
  },
  "facing": {
    "label": "Facing",
    "unit": "°",
    "says": "which way it falls",
    "step": 5.0,
    "digits": 0,
    "begin": [
      0.0,
      60.0,
      0.0,
      30.0
    ],
    "parameters": [
      "centre"
    ],
    "radius": 20.0,
    "radiusLabel": "",
    "radiusStep": 1.0,
    "distance": false
  },
  "toward": {
    "label": "Direction",
    "unit": "°",
    "says": "how far it turns away from a direction in space",
    "step": 5.0,
    "digits": 0,
    "begin": [
      0.0,
      60.0,
      0.0,
      30.0
    ],
    "parameters": [
      "toward"
    ],
    "radius": 20.0,
    "radiusLabel": "",
    "radiusStep": 1.0,
    "distance": false
  },
  "hollow": {
    "label": "Hollow–ridge",
    "unit": "m",
    "says": "above or below the ground around",
    "step": 0.1,
    "digits": 2,
    "begin": [
      -50.0,
      0.0,
      0.0,
      0.5
    ],
    "parameters": [
      "radius"
    ],
    "radius": 20.0,
    "radiusLabel": "Against the ground within",
    "radiusStep": 5.0,
    "distance": false
  },
  "wetness": {
    "label": "Wetness",
    "unit": "",
    "says": "where water gathers",
    "step": 0.1,
    "digits": 2,
    "begin": [
      7.0,
      30.0,
      2.0,
      0.0
    ],
    "parameters": [],
    "radius": 20.0,
    "radiusLabel": "",
    "radiusStep": 1.0,
    "distance": false
  },
  "layer": {
    "label": "Ground layer",
    "unit": "",
    "says": "weight of one or several layers",
    "step": 0.05,
    "digits": 2,
    "begin": [
      0.5,
      1.0,
      0.3,
      0.0
    ],
    "parameters": [
      "layers"
    ],
    "radius": 20.0,
    "radiusLabel": "",
    "radiusStep": 1.0,
    "distance": false
  },
  "noise": {
    "label": "Noise",
    "unit": "",
    "says": "patches that follow nothing",
    "step": 0.02,
    "digits": 2,
    "begin": [
      0.5,
      1.0,
      0.15,
      0.0
    ],
    "parameters": [
      "noise"
    ],
    "radius": 20.0,
    "radiusLabel": "",
    "radiusStep": 1.0,
    "distance": false
  },
  "path": {
    "label": "Distance to paths",
    "unit": "m",
    "says": "below 0 on the path",
    "step": 0.5,
    "digits": 1,
    "begin": [
      3.0,
      100000.0,
      2.0,
      0.0
    ],
    "parameters": [
      "shapes",
      "groups",
      "border",
      "rough",
      "curve"
    ],
    "radius": 20.0,
    "radiusLabel": "",
    "radiusStep": 1.0,
    "distance": true
  },
  "area": {
    "label": "Distance to areas",
    "unit": "m",
    "says": "below 0 inside",
    "step": 0.5,
    "digits": 1,
    "begin": [
      -100000.0,
      0.0,
      0.0,
      4.0
    ],
    "parameters": [
      "shapes",
      "groups",
      "depth",
      "border",
      "rough",
      "curve"
    ],
    "radius": 20.0,
    "radiusLabel": "",
    "radiusStep": 1.0,
    "distance": true
  },
  "obstacle": {
    "label": "Distance to obstacles",
    "unit": "m",
    "says": "below 0 inside",
    "step": 0.5,
    "digits": 1,
    "begin": [
      2.0,
      100000.0,
      2.0,
      0.0
    ],
    "parameters": [
      "shapes",
      "groups",
      "border",
      "rough",
      "curve"
    ],
    "radius": 20.0,
    "radiusLabel": "",
    "radiusStep": 1.0,
    "distance": true
  },
  "stand": {
    "label": "Distance to a stand",
    "unit": "m",
    "says": "from the nearest plant of a stand above",
    "step": 0.5,
    "digits": 1,
    "begin": [
      0.0,
      8.0,
      0.0,
      4.0
    ],
    "parameters": [
      "stand"
    ],
    "radius": 20.0,
    "radiusLabel": "",
    "radiusStep": 1.0,
    "distance": true
  },
  "painting": {
    "label": "Painting of a stand",
    "unit": "",
    "says": "−1 taken away, 0 unpainted, +1 added",
    "step": 0.05,
    "digits": 2,
    "begin": [
      0.1,
      1.0,
      0.1,
      0.0
    ],
    "parameters": [
      "stand"
    ],
    "radius": 20.0,
    "radiusLabel": "",
    "radiusStep": 1.0,
    "distance": false
  },
  "density": {
    "label": "Density of a stand",
    "unit": "",
    "says": "of one above: 0 nowhere to 1 as dense as can be",
    "step": 0.05,
    "digits": 2,
    "begin": [
      0.3,
      1.0,
      0.2,
      0.0
    ],
    "parameters": [
      "stand",
      "curve"
    ],
    "radius": 20.0,
    "radiusLabel": "",
    "radiusStep": 1.0,
    "distance": false
  },
  "mesh": {
    "label": "Distance to placed meshes",
    "unit": "m",
    "says": "from the nearest surface of one",
    "step": 0.5,
    "digits": 1,
    "begin": [
      0.0,
      4.0,
      0.0,
      4.0
    ],
    "parameters": [
      "shapes",
      "groups"
    ],
    "radius": 20.0,
    "radiusLabel": "",
    "radiusStep": 1.0,
    "distance": true
  },
  "mask": {
    "label": "Mask image",
    "unit": "",
    "says": "0 black to 1 white",
    "step": 0.05,
    "digits": 2,
    "begin": [
      0.5,
      1.0,
      0.2,
      0.0
    ],
    "parameters": [
      "mask",
      "curve",
      "wrapped"
    ],
    "radius": 20.0,
    "radiusLabel": "",
    "radiusStep": 1.0,
    "distance": false
  },
  "flat": {
    "label": "Flat ground",
    "unit": "m",
    "says": "most rise or fall within a radius",
    "step": 0.05,
    "digits": 2,
    "begin": [
      0.0,
      0.4,
      0.0,
      0.3
    ],
    "parameters": [
      "radius"
    ],
    "radius": 2.0,
    "radiusLabel": "Within a radius of",
    "radiusStep": 0.5,
    "distance": false
  }
} as const

/** The strata, those first that claim room first. */
export const STRATA = ["Stone", "Canopy", "Understorey", "Shrub", "Field", "Moss"] as const

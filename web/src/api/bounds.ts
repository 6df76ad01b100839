/* The API's numbers by schema and field, in the API's units: a value lies above `above`, from
 * `min` to `max`; `step` is that of a field's arrow keys, `unit` what stands beside it ("%" for hundredths).
 * Written by `./kt lint --write-types`. */
export const AddInBounds = {
  "spacing": {
    "min": 0.2,
    "max": 200,
    "step": 0.1,
    "unit": "m"
  },
  "fullness": {
    "min": 0,
    "max": 1,
    "step": 0.01,
    "unit": "%"
  }
} as const
export const AddPlantBounds = {
  "turn": {
    "min": -360,
    "max": 720,
    "step": 5,
    "unit": "\u00b0"
  },
  "width": {
    "min": 0.05,
    "max": 10,
    "step": 0.05,
    "unit": "\u00d7"
  },
  "height": {
    "min": 0.05,
    "max": 10,
    "step": 0.05,
    "unit": "\u00d7"
  },
  "lift": {
    "min": -50,
    "max": 500,
    "step": 0.05,
    "unit": "m"
  },
  "tint": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%"
  },
  "x": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "z": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "on": {
    "min": -1000000000.0,
    "max": 1000000000.0
  }
} as const
export const AimInBounds = {
  "count": {
    "min": 1,
    "max": 2000000000
  }
} as const
export const AnchorSettingsBounds = {
  "at": {
    "min": -1000,
    "max": 1000
  },
  "up": {
    "min": -1000,
    "max": 1000
  }
} as const
export const BoxBounds = {
  "x": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "z": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "width": {
    "above": 0,
    "max": 20000,
    "step": 0.5,
    "unit": "m"
  },
  "length": {
    "above": 0,
    "max": 20000,
    "step": 0.5,
    "unit": "m"
  },
  "heading": {
    "min": -360,
    "max": 720,
    "step": 1,
    "unit": "\u00b0"
  }
} as const
export const CardsInBounds = {
  "width": {
    "min": 0.02,
    "max": 20,
    "step": 0.05,
    "unit": "m",
    "default": 0.6
  },
  "height": {
    "min": 0.02,
    "max": 20,
    "step": 0.05,
    "unit": "m",
    "default": 0.5
  },
  "count": {
    "min": 1,
    "max": 24,
    "default": 5
  },
  "bend": {
    "min": 0,
    "max": 80,
    "step": 5,
    "unit": "\u00b0",
    "default": 25
  },
  "rows": {
    "min": 1,
    "max": 16,
    "default": 1
  }
} as const
export const ChangeInBounds = {
  "seed": {
    "min": 0
  }
} as const
export const ChangePlantBounds = {
  "turn": {
    "min": -360,
    "max": 720,
    "step": 5,
    "unit": "\u00b0"
  },
  "width": {
    "min": 0.05,
    "max": 10,
    "step": 0.05,
    "unit": "\u00d7"
  },
  "height": {
    "min": 0.05,
    "max": 10,
    "step": 0.05,
    "unit": "\u00d7"
  },
  "lift": {
    "min": -50,
    "max": 500,
    "step": 0.05,
    "unit": "m"
  },
  "tint": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%"
  },
  "x": {
    "min": -1000000000.0,
    "max": 1000000000.0,
    "step": 0.25,
    "unit": "m"
  },
  "z": {
    "min": -1000000000.0,
    "max": 1000000000.0,
    "step": 0.25,
    "unit": "m"
  },
  "at": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "on": {
    "min": -1000000000.0,
    "max": 1000000000.0
  }
} as const
export const CheckInBounds = {
  "threshold": {
    "min": 1,
    "max": 1000000.0,
    "step": 10,
    "unit": "px",
    "default": 60.0
  }
} as const
export const ConditionSettingsBounds = {
  "lo": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "hi": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "soft_lo": {
    "min": 0,
    "max": 20000,
    "default": 0
  },
  "soft_hi": {
    "min": 0,
    "max": 20000,
    "default": 0
  },
  "centre": {
    "min": 0,
    "max": 360,
    "step": 5,
    "unit": "\u00b0",
    "default": 180
  },
  "toward": [
    {
      "min": 0,
      "max": 360,
      "step": 5,
      "unit": "\u00b0"
    },
    {
      "min": -90,
      "max": 90,
      "step": 5,
      "unit": "\u00b0"
    }
  ],
  "radius": {
    "above": 0,
    "max": 2000,
    "step": 1,
    "unit": "m",
    "default": 20
  },
  "border": {
    "min": 0,
    "max": 2000,
    "step": 1,
    "unit": "m",
    "default": 0
  },
  "rough": {
    "min": 0,
    "max": 200,
    "step": 0.5,
    "unit": "m",
    "default": 0
  },
  "curve": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%"
  },
  "size": {
    "min": 0.05,
    "max": 1,
    "step": 0.05,
    "unit": "%"
  },
  "lean": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%"
  },
  "tint": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%"
  }
} as const
export const CrowdInBounds = {
  "reach": {
    "min": 1,
    "max": 100000.0
  }
} as const
export const DeviceSettingsBounds = {
  "per_mtri": {
    "min": 0,
    "max": 1000000.0,
    "default": 0.9
  },
  "per_kcall": {
    "min": 0,
    "max": 1000000.0,
    "default": 1.6
  },
  "per_shadow_mtri": {
    "min": 0,
    "max": 1000000.0,
    "default": 1.1
  },
  "per_alpha_mpx": {
    "min": 0,
    "max": 1000000.0,
    "default": 0.09
  },
  "per_mbyte": {
    "min": 0,
    "max": 1000000.0,
    "default": 0
  },
  "fixed": {
    "min": 0,
    "max": 1000000.0,
    "default": 0
  },
  "spread": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "noise": {
    "min": 0,
    "max": 10,
    "default": 0
  },
  "frames": {
    "min": 0,
    "max": 1000000,
    "default": 0
  }
} as const
export const DistanceSettingsBounds = {
  "steps": {
    "min": 0,
    "max": 20000,
    "step": 1,
    "unit": "m"
  },
  "billboard": {
    "min": 0,
    "max": 20000,
    "step": 1,
    "unit": "m"
  },
  "gone": {
    "above": 0,
    "max": 20000,
    "step": 5,
    "unit": "m"
  },
  "fade": {
    "min": 0,
    "max": 500,
    "step": 1,
    "unit": "m"
  },
  "shadow": {
    "min": 0,
    "max": 20000,
    "step": 5,
    "unit": "m"
  }
} as const
export const DraftOptionsBounds = {
  "cell": {
    "above": 0,
    "max": 1000,
    "step": 0.5,
    "unit": "m"
  },
  "low": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "high": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "width": {
    "min": 9,
    "max": 100000
  },
  "frame": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%"
  }
} as const
export const DrawingSettingsBounds = {
  "distances": {
    "min": 0.05,
    "max": 4,
    "step": 0.05,
    "unit": "%",
    "default": 1
  },
  "fades": {
    "min": 0,
    "max": 10,
    "step": 0.05,
    "unit": "%",
    "default": 1
  },
  "shadows": {
    "min": 0,
    "max": 10,
    "step": 0.05,
    "unit": "%",
    "default": 1
  },
  "lod_offset": {
    "min": 0,
    "max": 4,
    "step": 1,
    "default": 0
  },
  "full_meshes": {
    "min": 0,
    "max": 1000000,
    "step": 5
  },
  "sward_reach": {
    "min": 0,
    "max": 20000,
    "step": 5,
    "unit": "m"
  },
  "sward_share": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%",
    "default": 1
  },
  "shadow_reach": {
    "min": 0,
    "max": 20000,
    "step": 5,
    "unit": "m"
  },
  "ground_error": {
    "min": 0.1,
    "max": 100,
    "step": 0.5,
    "unit": "px"
  },
  "ground_detail": {
    "min": 0,
    "max": 20000,
    "step": 10,
    "unit": "m"
  },
  "fog": {
    "min": 0,
    "max": 20,
    "step": 0.1,
    "unit": "%",
    "default": 1
  }
} as const
export const FileInBounds = {
  "size": {
    "min": 0
  }
} as const
export const FogSettingsBounds = {
  "density": {
    "min": 0,
    "max": 1,
    "step": 0.0001,
    "unit": "a m",
    "default": 0.0008
  },
  "start": {
    "min": 0,
    "max": 100000.0,
    "step": 10,
    "unit": "m",
    "default": 0
  },
  "end": {
    "min": 0,
    "max": 100000.0,
    "step": 10,
    "unit": "m",
    "default": 1000
  },
  "thinning": {
    "min": 0,
    "max": 100000.0,
    "step": 10,
    "unit": "m",
    "default": 0
  },
  "level": {
    "min": -100000.0,
    "max": 100000.0,
    "step": 5,
    "unit": "m",
    "default": 0
  }
} as const
export const GroundStrokeInBounds = {
  "path": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "pressure": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%"
  },
  "radius": {
    "min": 0.25,
    "max": 500,
    "step": 0.5,
    "unit": "m"
  },
  "soft": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%"
  },
  "strength": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%"
  },
  "grey": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%",
    "default": 0.5
  },
  "amount": {
    "above": 0,
    "max": 100.0,
    "step": 0.25,
    "unit": "m",
    "default": 1.0
  },
  "toward": {
    "min": -1000000000.0,
    "max": 1000000000.0,
    "step": 0.5,
    "unit": "m"
  }
} as const
export const GroupInBounds = {
  "stands": {
    "min": 0,
    "max": 9223372036854775807
  }
} as const
export const HandInBounds = {
  "east": {
    "min": -1000000000.0,
    "max": 1000000000.0,
    "step": 0.25,
    "unit": "m",
    "default": 0
  },
  "south": {
    "min": -1000000000.0,
    "max": 1000000000.0,
    "step": 0.25,
    "unit": "m",
    "default": 0
  },
  "rise": {
    "min": -500,
    "max": 500,
    "step": 0.05,
    "unit": "m",
    "default": 0
  },
  "turn_by": {
    "min": -360,
    "max": 720,
    "step": 5,
    "unit": "\u00b0",
    "default": 0
  },
  "about": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "roll_east": {
    "min": -360,
    "max": 720,
    "step": 5,
    "unit": "\u00b0",
    "default": 0
  },
  "roll_south": {
    "min": -360,
    "max": 720,
    "step": 5,
    "unit": "\u00b0",
    "default": 0
  },
  "size_by": {
    "min": 0.05,
    "max": 20,
    "step": 0.05,
    "unit": "\u00d7",
    "default": 1
  },
  "lean": {
    "min": 0,
    "max": 90,
    "step": 1,
    "unit": "\u00b0"
  },
  "turn": {
    "min": -360,
    "max": 720,
    "step": 5,
    "unit": "\u00b0"
  },
  "width": {
    "min": 0.05,
    "max": 10,
    "step": 0.05,
    "unit": "\u00d7"
  },
  "height": {
    "min": 0.05,
    "max": 10,
    "step": 0.05,
    "unit": "\u00d7"
  },
  "lift": {
    "min": -50,
    "max": 500,
    "step": 0.05,
    "unit": "m"
  },
  "tint": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%"
  },
  "eye": {
    "min": -1000000000.0,
    "max": 1000000000.0
  }
} as const
export const HereInBounds = {
  "x": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "z": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "heading": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "version": {
    "min": 0,
    "default": 0
  },
  "counted": {
    "min": 0,
    "max": 9223372036854775807
  }
} as const
export const ImportRequestBounds = {
  "height": {
    "above": 0.01,
    "max": 200,
    "step": 0.1,
    "unit": "m"
  },
  "lods": {
    "min": 0,
    "max": 4,
    "default": 2
  },
  "coarse": {
    "min": 0.05,
    "max": 0.9,
    "step": 0.05,
    "unit": "%",
    "default": 0.3
  }
} as const
export const InstancesInBounds = {
  "x": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "z": {
    "min": -1000000000.0,
    "max": 1000000000.0
  }
} as const
export const ItemEditBounds = {
  "revision": {
    "min": 0,
    "max": 9223372036854775807
  },
  "height": {
    "min": 0.01,
    "max": 200,
    "step": 0.1,
    "unit": "m"
  },
  "crown": {
    "min": 0.01,
    "max": 200,
    "step": 0.1,
    "unit": "m"
  },
  "trunk": {
    "min": 0.01,
    "max": 200,
    "step": 0.1,
    "unit": "m"
  },
  "lift": {
    "min": -100,
    "max": 100,
    "step": 0.05,
    "unit": "m",
    "default": 0
  }
} as const
export const LayoutSettingsBounds = {
  "every": {
    "above": 0,
    "max": 1000,
    "step": 0.25,
    "unit": "m",
    "default": 2
  },
  "count": {
    "min": 0,
    "max": 100000,
    "default": 0
  },
  "offset": {
    "min": 0,
    "max": 200,
    "step": 0.25,
    "unit": "m",
    "default": 0
  },
  "jitter": {
    "min": 0,
    "max": 20,
    "step": 0.05,
    "unit": "m",
    "default": 0
  },
  "bearing": {
    "min": 0,
    "max": 360,
    "step": 5,
    "unit": "\u00b0",
    "default": 0
  },
  "apart": {
    "above": 0,
    "max": 1000,
    "step": 0.25,
    "unit": "m",
    "default": 2
  },
  "host": {
    "min": 0,
    "default": 0
  },
  "around": {
    "min": 0,
    "max": 64,
    "default": 0
  }
} as const
export const LimitsInBounds = {
  "slope": {
    "min": 0,
    "max": 90,
    "step": 1,
    "unit": "\u00b0"
  },
  "altitude": {
    "min": -1000000000.0,
    "max": 1000000000.0,
    "step": 1,
    "unit": "m"
  }
} as const
export const ListInBounds = {
  "outline": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "height": {
    "min": 0,
    "max": 1000,
    "step": 0.5,
    "unit": "m"
  },
  "first": {
    "min": 0,
    "max": 100000000,
    "default": 0
  }
} as const
export const MadeInBounds = {
  "width": {
    "above": 0,
    "max": 65536,
    "step": 1,
    "unit": "m"
  },
  "length": {
    "above": 0,
    "max": 65536,
    "step": 1,
    "unit": "m"
  },
  "cell": {
    "min": 0.05,
    "max": 64,
    "step": 0.5,
    "unit": "m",
    "default": 1
  },
  "height": {
    "min": 0.1,
    "max": 4000,
    "step": 1,
    "unit": "m",
    "default": 40
  },
  "wavelength": {
    "min": 1,
    "max": 20000,
    "step": 1,
    "unit": "m",
    "default": 400
  },
  "seed": {
    "min": 0,
    "default": 1
  }
} as const
export const MadeMeshBounds = {
  "size": {
    "above": 0,
    "max": 2000,
    "step": 0.5,
    "unit": "m"
  },
  "divisions": {
    "min": 1,
    "max": 128,
    "step": 4,
    "default": 16
  }
} as const
export const MarksBounds = {
  "triangles": {
    "above": 0,
    "max": 1000000000000.0
  },
  "draw_calls": {
    "above": 0,
    "max": 1000000000000.0
  },
  "shadow_triangles": {
    "above": 0,
    "max": 1000000000000.0
  },
  "memory": {
    "above": 0,
    "max": 1000000000000.0
  },
  "ms": {
    "above": 0,
    "max": 1000000000000.0
  }
} as const
export const MaskSourceBounds = {
  "low": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "high": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "catchment": {
    "min": 0.01,
    "max": 1000000.0,
    "step": 1,
    "unit": "ha",
    "default": 5
  },
  "reach": {
    "above": 0,
    "max": 20000,
    "step": 10,
    "unit": "m",
    "default": 100
  },
  "cell": {
    "min": 0.05,
    "max": 1000,
    "step": 0.5,
    "unit": "m",
    "default": 1
  }
} as const
export const MendItemBounds = {
  "revision": {
    "min": 0,
    "max": 9223372036854775807
  }
} as const
export const MixEntryBounds = {
  "weight": {
    "min": 0,
    "max": 1000,
    "step": 0.1
  },
  "size": {
    "min": 0.05,
    "max": 10,
    "step": 0.05,
    "unit": "\u00d7"
  },
  "width": {
    "min": 0.05,
    "max": 10,
    "step": 0.05,
    "unit": "\u00d7"
  },
  "footprint": {
    "min": 0,
    "max": 10,
    "step": 0.1,
    "unit": "\u00d7",
    "default": 1
  },
  "sink": {
    "min": -5,
    "max": 5,
    "step": 0.05,
    "unit": "m"
  }
} as const
export const NoiseInBounds = {
  "x": {
    "min": -100000.0,
    "max": 100000.0,
    "default": 0
  },
  "z": {
    "min": -100000.0,
    "max": 100000.0,
    "default": 0
  },
  "side": {
    "min": 0.01,
    "max": 70000
  }
} as const
export const NoiseSettingsBounds = {
  "wavelength": {
    "min": 0.5,
    "max": 20000,
    "step": 5,
    "unit": "m",
    "default": 40
  },
  "octaves": {
    "min": 1,
    "max": 8,
    "default": 3
  },
  "contrast": {
    "min": 0,
    "max": 20,
    "step": 0.1,
    "default": 1
  },
  "shift": {
    "min": -5,
    "max": 5,
    "step": 0.05,
    "default": 0
  },
  "seed": {
    "min": 0,
    "default": 1
  },
  "moved": {
    "min": -1000000000.0,
    "max": 1000000000.0,
    "step": 1,
    "unit": "m"
  }
} as const
export const PlotBounds = {
  "area": {
    "min": 1
  },
  "shares": {
    "min": 0,
    "max": 1000000000000.0
  }
} as const
export const RangesInBounds = {
  "turn": {
    "min": -360,
    "max": 720,
    "step": 5,
    "unit": "\u00b0"
  },
  "size": {
    "min": 0.05,
    "max": 10,
    "step": 0.05,
    "unit": "\u00d7"
  },
  "lean": {
    "min": 0,
    "max": 90,
    "step": 1,
    "unit": "\u00b0"
  }
} as const
export const RebalanceInBounds = {
  "marks": {
    "above": 0,
    "max": 1000000000000.0
  },
  "least": {
    "min": 0.4,
    "max": 1,
    "step": 0.05,
    "unit": "%",
    "default": 0.4
  }
} as const
export const RecipeBounds = {
  "cell": {
    "min": 0,
    "max": 20000,
    "step": 1,
    "unit": "m",
    "default": 0.0
  }
} as const
export const ReplaceInBounds = {
  "revision": {
    "min": 0,
    "max": 9223372036854775807
  },
  "thing": {
    "min": 0,
    "max": 9223372036854775807
  }
} as const
export const RequestBounds = {
  "amount": {
    "above": 0,
    "max": 1000000000000.0
  }
} as const
export const ResolutionInBounds = {
  "cell": {
    "above": 0,
    "max": 1000,
    "step": 0.5,
    "unit": "m"
  }
} as const
export const RoundBounds = {
  "x": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "z": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "radius": {
    "above": 0,
    "max": 20000,
    "step": 0.5,
    "unit": "m"
  }
} as const
export const SaveViewInBounds = {
  "x": {
    "min": -1000000.0,
    "max": 1000000.0
  },
  "y": {
    "min": -1000000.0,
    "max": 1000000.0
  },
  "z": {
    "min": -1000000.0,
    "max": 1000000.0
  },
  "heading": {
    "min": -1000000.0,
    "max": 1000000.0
  },
  "pitch": {
    "min": -90,
    "max": 90
  },
  "fov": {
    "min": 10,
    "max": 120
  }
} as const
export const ScatterInBounds = {
  "outline": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "count": {
    "min": 1,
    "max": 1000,
    "default": 20
  }
} as const
export const SelectInBounds = {
  "outline": {
    "min": -1000000000.0,
    "max": 1000000000.0
  }
} as const
export const ShapeInBounds = {
  "points": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "width": {
    "above": 0,
    "max": 20000,
    "step": 0.5,
    "unit": "m",
    "default": 4
  },
  "clear": {
    "min": 0,
    "max": 20000,
    "step": 0.5,
    "unit": "m",
    "default": 0.5
  }
} as const
export const ShapeOutBounds = {
  "points": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "width": {
    "above": 0,
    "max": 20000,
    "step": 0.5,
    "unit": "m",
    "default": 4
  },
  "clear": {
    "min": 0,
    "max": 20000,
    "step": 0.5,
    "unit": "m",
    "default": 0.5
  }
} as const
export const SkyBounds = {
  "clouds": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%",
    "default": 0.5
  }
} as const
export const StandInInBounds = {
  "height": {
    "min": 0.01,
    "max": 200,
    "step": 0.1,
    "unit": "m"
  },
  "width": {
    "min": 0.01,
    "max": 200,
    "step": 0.1,
    "unit": "m"
  }
} as const
export const StandSettingsBounds = {
  "spacing": {
    "min": 0.2,
    "max": 200,
    "step": 0.1,
    "unit": "m"
  },
  "fullness": {
    "min": 0,
    "max": 1,
    "step": 0.01,
    "unit": "%"
  },
  "gap": {
    "min": 0,
    "max": 50,
    "step": 0.1,
    "unit": "m",
    "default": 0
  }
} as const
export const StrokeInBounds = {
  "path": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "pressure": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%"
  },
  "radius": {
    "min": 0.25,
    "max": 500,
    "step": 0.5,
    "unit": "m"
  },
  "soft": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%"
  },
  "strength": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%"
  },
  "on": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "toward": {
    "min": -1,
    "max": 1,
    "step": 0.05,
    "unit": "%",
    "default": 0
  }
} as const
export const SunBounds = {
  "bearing": {
    "min": 0,
    "max": 360,
    "step": 5,
    "unit": "\u00b0",
    "default": 225
  },
  "elevation": {
    "min": 1,
    "max": 90,
    "step": 1,
    "unit": "\u00b0",
    "default": 40
  },
  "strength": {
    "min": 0,
    "max": 3,
    "step": 0.05,
    "unit": "%",
    "default": 1
  }
} as const
export const SurfaceInBounds = {
  "at": {
    "min": -1000000000.0,
    "max": 1000000000.0,
    "step": 0.5,
    "unit": "m"
  },
  "turn": {
    "min": -360,
    "max": 360,
    "step": 5,
    "unit": "\u00b0",
    "default": 0
  },
  "pitch": {
    "min": -360,
    "max": 360,
    "step": 5,
    "unit": "\u00b0",
    "default": 0
  },
  "roll": {
    "min": -360,
    "max": 360,
    "step": 5,
    "unit": "\u00b0",
    "default": 0
  },
  "scale": {
    "min": 0.01,
    "max": 100,
    "step": 0.1,
    "unit": "\u00d7",
    "default": 1
  },
  "shadow": {
    "min": 0,
    "max": 500,
    "step": 10,
    "unit": "m",
    "default": 80
  }
} as const
export const SurfaceOutBounds = {
  "at": {
    "min": -1000000000.0,
    "max": 1000000000.0,
    "step": 0.5,
    "unit": "m"
  },
  "turn": {
    "min": -360,
    "max": 360,
    "step": 5,
    "unit": "\u00b0",
    "default": 0
  },
  "pitch": {
    "min": -360,
    "max": 360,
    "step": 5,
    "unit": "\u00b0",
    "default": 0
  },
  "roll": {
    "min": -360,
    "max": 360,
    "step": 5,
    "unit": "\u00b0",
    "default": 0
  },
  "scale": {
    "min": 0.01,
    "max": 100,
    "step": 0.1,
    "unit": "\u00d7",
    "default": 1
  },
  "shadow": {
    "min": 0,
    "max": 500,
    "step": 10,
    "unit": "m",
    "default": 80
  }
} as const
export const SurveyInBounds = {
  "step": {
    "min": 8.0,
    "max": 64.0,
    "default": 16.0
  },
  "eye": {
    "min": 0.1,
    "max": 100,
    "default": 1.7
  }
} as const
export const SwitchInBounds = {
  "stands": {
    "min": 0,
    "max": 9223372036854775807
  }
} as const
export const ThingInBounds = {
  "id": {
    "min": 0,
    "max": 9223372036854775807
  }
} as const
export const TrailBounds = {
  "reach": {
    "min": 0,
    "max": 20,
    "step": 0.1,
    "unit": "m",
    "default": 1.5
  },
  "lean": {
    "min": 0,
    "max": 85,
    "step": 1,
    "unit": "\u00b0",
    "default": 50
  },
  "flatten": {
    "min": 0,
    "max": 0.95,
    "step": 0.01,
    "unit": "%",
    "default": 0.4
  }
} as const
export const TraitSettingsBounds = {
  "stiffness": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%",
    "default": 0.4
  },
  "cutoff": {
    "min": 0.05,
    "max": 0.95,
    "step": 0.05,
    "unit": "%",
    "default": 0.5
  },
  "softness": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%",
    "default": 0
  }
} as const
export const UprootInBounds = {
  "path": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "on": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "radius": {
    "min": 0.1,
    "max": 500
  }
} as const
export const VariationSettingsBounds = {
  "size": {
    "min": 0.05,
    "max": 10,
    "step": 0.05,
    "unit": "\u00d7"
  },
  "width": {
    "min": 0.05,
    "max": 10,
    "step": 0.05,
    "unit": "\u00d7"
  },
  "turn": {
    "min": -180,
    "max": 360,
    "step": 5,
    "unit": "\u00b0"
  },
  "lean": {
    "min": 0,
    "max": 90,
    "step": 0.5,
    "unit": "\u00b0",
    "default": 3
  },
  "follow": {
    "min": 0,
    "max": 1,
    "step": 0.01,
    "unit": "%",
    "default": 0.1
  },
  "sink": {
    "min": -5,
    "max": 5,
    "step": 0.05,
    "unit": "m",
    "default": 0
  },
  "patch": {
    "min": 1,
    "max": 2000,
    "step": 1,
    "unit": "m",
    "default": 40
  }
} as const
export const VersionInBounds = {
  "revision": {
    "min": 0,
    "max": 9223372036854775807
  },
  "use": {
    "min": 0,
    "max": 9223372036854775807
  }
} as const
export const ViewInBounds = {
  "x": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "y": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "z": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "heading": {
    "min": -720,
    "max": 720
  },
  "pitch": {
    "min": -90,
    "max": 90
  },
  "fov": {
    "above": 1
  },
  "aspect": {
    "above": 0.05
  }
} as const
export const WalkBounds = {
  "points": {
    "min": -100000.0,
    "max": 100000.0
  },
  "speed": {
    "min": 0.1,
    "max": 60,
    "step": 0.5,
    "unit": "m/s",
    "default": 3
  },
  "eye": {
    "min": 0.1,
    "max": 100,
    "step": 0.1,
    "unit": "m",
    "default": 1.7
  }
} as const
export const WaterBounds = {
  "altitude": {
    "min": -100000.0,
    "max": 100000.0,
    "step": 0.5,
    "unit": "m"
  },
  "box": {
    "min": -100000.0,
    "max": 100000.0,
    "step": 5,
    "unit": "m"
  }
} as const
export const WhyInBounds = {
  "x": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "z": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "on": {
    "min": -1000000000.0,
    "max": 1000000000.0
  }
} as const
export const WindSettingsBounds = {
  "bearing": {
    "min": 0,
    "max": 360,
    "step": 5,
    "unit": "\u00b0",
    "default": 250.0
  },
  "speed": {
    "min": 0,
    "max": 40,
    "step": 0.5,
    "unit": "m/s",
    "default": 5.0
  },
  "strength": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%",
    "default": 0.35
  },
  "wavelength": {
    "min": 1,
    "max": 500,
    "step": 1,
    "unit": "m",
    "default": 28.0
  },
  "turbulence": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%",
    "default": 0.35
  },
  "loop": {
    "min": 1,
    "max": 120,
    "step": 1,
    "unit": "s",
    "default": 12.0
  },
  "tinting": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%",
    "default": 0
  },
  "stiffness": {
    "min": 0,
    "max": 1,
    "step": 0.05,
    "unit": "%"
  }
} as const
export const colour_maskQueryBounds = {
  "tolerance": {
    "min": 0,
    "max": 1,
    "step": 0.01,
    "unit": "%",
    "default": 0.05
  },
  "soft": {
    "min": 0,
    "max": 1,
    "step": 0.01,
    "unit": "%",
    "default": 0.03
  }
} as const
export const look_at_coloursQueryBounds = {
  "tolerance": {
    "min": 0,
    "max": 1,
    "step": 0.01,
    "unit": "%",
    "default": 0.05
  },
  "soft": {
    "min": 0,
    "max": 1,
    "step": 0.01,
    "unit": "%",
    "default": 0.03
  }
} as const
export const paintingQueryBounds = {
  "columns": {
    "min": 1,
    "max": 8192,
    "step": 64
  }
} as const
export const reliefQueryBounds = {
  "radius": {
    "min": 1,
    "max": 500,
    "step": 5,
    "unit": "m",
    "default": 20.0
  }
} as const

/* The bounds of the API's numbers by schema and field, in the API's units: a value lies above
 * `above`, from `min` to `max`. Written by `./kt lint --write-types`. */
export const AddInBounds = {
  "spacing": {
    "min": 0.2,
    "max": 200
  },
  "fullness": {
    "min": 0,
    "max": 1
  }
} as const
export const AddPlantBounds = {
  "turn": {
    "min": -360,
    "max": 720
  },
  "width": {
    "min": 0.05,
    "max": 10
  },
  "height": {
    "min": 0.05,
    "max": 10
  },
  "lift": {
    "min": -50,
    "max": 500
  },
  "tint": {
    "min": 0,
    "max": 1
  },
  "x": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "z": {
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
    "max": 20000
  },
  "length": {
    "above": 0,
    "max": 20000
  },
  "heading": {
    "min": -360,
    "max": 720
  }
} as const
export const CardsInBounds = {
  "width": {
    "min": 0.02,
    "max": 20
  },
  "height": {
    "min": 0.02,
    "max": 20
  },
  "count": {
    "min": 1,
    "max": 24
  },
  "bend": {
    "min": 0,
    "max": 80
  },
  "rows": {
    "min": 1,
    "max": 16
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
    "max": 720
  },
  "width": {
    "min": 0.05,
    "max": 10
  },
  "height": {
    "min": 0.05,
    "max": 10
  },
  "lift": {
    "min": -50,
    "max": 500
  },
  "tint": {
    "min": 0,
    "max": 1
  },
  "x": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "z": {
    "min": -1000000000.0,
    "max": 1000000000.0
  }
} as const
export const CheckInBounds = {
  "threshold": {
    "min": 1,
    "max": 1000000.0
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
    "max": 20000
  },
  "soft_hi": {
    "min": 0,
    "max": 20000
  },
  "centre": {
    "min": 0,
    "max": 360
  },
  "toward": {
    "min": 0,
    "max": 360
  },
  "radius": {
    "above": 0,
    "max": 2000
  },
  "size": {
    "min": 0.05,
    "max": 1
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
    "max": 1000000.0
  },
  "per_kcall": {
    "min": 0,
    "max": 1000000.0
  },
  "per_shadow_mtri": {
    "min": 0,
    "max": 1000000.0
  },
  "per_alpha_mpx": {
    "min": 0,
    "max": 1000000.0
  },
  "per_mbyte": {
    "min": 0,
    "max": 1000000.0
  },
  "fixed": {
    "min": 0,
    "max": 1000000.0
  },
  "noise": {
    "min": 0,
    "max": 10
  },
  "frames": {
    "min": 0,
    "max": 1000000
  }
} as const
export const DistanceSettingsBounds = {
  "steps": {
    "min": 0,
    "max": 20000
  },
  "billboard": {
    "min": 0,
    "max": 20000
  },
  "gone": {
    "above": 0,
    "max": 20000
  },
  "fade": {
    "min": 0,
    "max": 500
  },
  "shadow": {
    "min": 0,
    "max": 20000
  }
} as const
export const DraftOptionsBounds = {
  "cell": {
    "above": 0,
    "max": 1000
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
    "min": 1,
    "max": 100000
  }
} as const
export const DrawingSettingsBounds = {
  "distances": {
    "min": 0.05,
    "max": 4
  },
  "fades": {
    "min": 0,
    "max": 10
  },
  "shadows": {
    "min": 0,
    "max": 10
  },
  "lod_offset": {
    "min": 0,
    "max": 4
  },
  "full_meshes": {
    "min": 0,
    "max": 1000000
  },
  "sward_reach": {
    "min": 0,
    "max": 20000
  },
  "sward_share": {
    "min": 0,
    "max": 1
  },
  "shadow_reach": {
    "min": 0,
    "max": 20000
  },
  "ground_error": {
    "min": 0.1,
    "max": 100
  },
  "ground_detail": {
    "min": 0,
    "max": 20000
  },
  "fog": {
    "min": 0,
    "max": 20
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
    "max": 1
  },
  "start": {
    "min": 0,
    "max": 100000.0
  },
  "end": {
    "min": 0,
    "max": 100000.0
  },
  "thinning": {
    "min": 0,
    "max": 100000.0
  },
  "level": {
    "min": -100000.0,
    "max": 100000.0
  }
} as const
export const HandInBounds = {
  "east": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "south": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "turn_by": {
    "min": -360,
    "max": 720
  },
  "size_by": {
    "min": 0.05,
    "max": 20
  },
  "lean": {
    "min": 0,
    "max": 90
  },
  "turn": {
    "min": -360,
    "max": 720
  },
  "width": {
    "min": 0.05,
    "max": 10
  },
  "height": {
    "min": 0.05,
    "max": 10
  },
  "lift": {
    "min": -50,
    "max": 500
  },
  "tint": {
    "min": 0,
    "max": 1
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
    "min": 0
  },
  "counted": {
    "min": 0,
    "max": 9223372036854775807
  }
} as const
export const ImportRequestBounds = {
  "height": {
    "above": 0.01,
    "max": 200
  },
  "lods": {
    "min": 0,
    "max": 4
  },
  "coarse": {
    "min": 0.05,
    "max": 0.9
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
    "max": 200
  },
  "crown": {
    "min": 0.01,
    "max": 200
  },
  "trunk": {
    "min": 0.01,
    "max": 200
  },
  "lift": {
    "min": -100,
    "max": 100
  }
} as const
export const LayoutSettingsBounds = {
  "every": {
    "above": 0,
    "max": 1000
  },
  "count": {
    "min": 0,
    "max": 100000
  },
  "offset": {
    "min": 0,
    "max": 200
  },
  "jitter": {
    "min": 0,
    "max": 20
  },
  "bearing": {
    "min": 0,
    "max": 360
  },
  "apart": {
    "above": 0,
    "max": 1000
  },
  "host": {
    "min": 0
  },
  "around": {
    "min": 0,
    "max": 64
  }
} as const
export const MadeInBounds = {
  "width": {
    "above": 0,
    "max": 65536
  },
  "length": {
    "above": 0,
    "max": 65536
  },
  "cell": {
    "min": 0.05,
    "max": 64
  },
  "height": {
    "min": 0.1,
    "max": 4000
  },
  "wavelength": {
    "min": 1,
    "max": 20000
  },
  "seed": {
    "min": 0
  }
} as const
export const MadeMeshBounds = {
  "size": {
    "above": 0,
    "max": 2000
  },
  "divisions": {
    "min": 1,
    "max": 128
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
export const MendItemBounds = {
  "revision": {
    "min": 0,
    "max": 9223372036854775807
  }
} as const
export const MixEntryBounds = {
  "weight": {
    "min": 0,
    "max": 1000
  },
  "footprint": {
    "min": 0,
    "max": 10
  },
  "sink": {
    "min": -5,
    "max": 5
  }
} as const
export const NoiseInBounds = {
  "x": {
    "min": -100000.0,
    "max": 100000.0
  },
  "z": {
    "min": -100000.0,
    "max": 100000.0
  },
  "side": {
    "min": 0.01,
    "max": 70000
  }
} as const
export const NoiseSettingsBounds = {
  "wavelength": {
    "min": 0.5,
    "max": 20000
  },
  "octaves": {
    "min": 1,
    "max": 8
  },
  "contrast": {
    "min": 0,
    "max": 20
  },
  "shift": {
    "min": -5,
    "max": 5
  },
  "seed": {
    "min": 0
  }
} as const
export const PlotBounds = {
  "area": {
    "min": 1
  }
} as const
export const RebalanceInBounds = {
  "least": {
    "min": 0.4,
    "max": 1
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
    "max": 1000
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
    "max": 20000
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
export const ShapeInBounds = {
  "width": {
    "above": 0,
    "max": 20000
  },
  "clear": {
    "min": 0,
    "max": 20000
  }
} as const
export const ShapeOutBounds = {
  "width": {
    "above": 0,
    "max": 20000
  },
  "clear": {
    "min": 0,
    "max": 20000
  }
} as const
export const SkyBounds = {
  "clouds": {
    "min": 0,
    "max": 1
  }
} as const
export const StandInInBounds = {
  "height": {
    "min": 0.01,
    "max": 200
  },
  "width": {
    "min": 0.01,
    "max": 200
  }
} as const
export const StandSettingsBounds = {
  "spacing": {
    "min": 0.2,
    "max": 200
  },
  "fullness": {
    "min": 0,
    "max": 1
  },
  "gap": {
    "min": 0,
    "max": 50
  }
} as const
export const StrokeInBounds = {
  "radius": {
    "min": 0.25,
    "max": 500
  },
  "soft": {
    "min": 0,
    "max": 1
  },
  "strength": {
    "min": 0,
    "max": 1
  },
  "toward": {
    "min": -1,
    "max": 1
  }
} as const
export const SunBounds = {
  "bearing": {
    "min": 0,
    "max": 360
  },
  "elevation": {
    "min": 1,
    "max": 90
  },
  "strength": {
    "min": 0,
    "max": 3
  }
} as const
export const SurfaceInBounds = {
  "at": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "turn": {
    "min": -360,
    "max": 360
  },
  "pitch": {
    "min": -360,
    "max": 360
  },
  "roll": {
    "min": -360,
    "max": 360
  },
  "scale": {
    "min": 0.01,
    "max": 100
  },
  "shadow": {
    "min": 0,
    "max": 500
  }
} as const
export const SurfaceOutBounds = {
  "at": {
    "min": -1000000000.0,
    "max": 1000000000.0
  },
  "turn": {
    "min": -360,
    "max": 360
  },
  "pitch": {
    "min": -360,
    "max": 360
  },
  "roll": {
    "min": -360,
    "max": 360
  },
  "scale": {
    "min": 0.01,
    "max": 100
  },
  "shadow": {
    "min": 0,
    "max": 500
  }
} as const
export const SurveyInBounds = {
  "step": {
    "min": 8.0,
    "max": 64.0
  },
  "eye": {
    "min": 0.1,
    "max": 100
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
    "max": 20
  },
  "lean": {
    "min": 0,
    "max": 85
  },
  "flatten": {
    "min": 0,
    "max": 0.95
  }
} as const
export const TraitSettingsBounds = {
  "stiffness": {
    "min": 0,
    "max": 1
  },
  "cutoff": {
    "min": 0.05,
    "max": 0.95
  },
  "softness": {
    "min": 0,
    "max": 1
  }
} as const
export const UprootInBounds = {
  "radius": {
    "min": 0.1,
    "max": 500
  }
} as const
export const VariationSettingsBounds = {
  "size": {
    "min": 0.05,
    "max": 10
  },
  "width": {
    "min": 0.05,
    "max": 10
  },
  "turn": {
    "min": -180,
    "max": 360
  },
  "lean": {
    "min": 0,
    "max": 90
  },
  "follow": {
    "min": 0,
    "max": 1
  },
  "sink": {
    "min": -5,
    "max": 5
  },
  "patch": {
    "min": 1,
    "max": 2000
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
  "speed": {
    "min": 0.1,
    "max": 60
  },
  "eye": {
    "min": 0.1,
    "max": 100
  }
} as const
export const WaterBounds = {
  "altitude": {
    "min": -100000.0,
    "max": 100000.0
  },
  "box": {
    "min": -100000.0,
    "max": 100000.0
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
  }
} as const
export const WindSettingsBounds = {
  "bearing": {
    "min": 0,
    "max": 360
  },
  "speed": {
    "min": 0,
    "max": 40
  },
  "strength": {
    "min": 0,
    "max": 1
  },
  "wavelength": {
    "min": 1,
    "max": 500
  },
  "turbulence": {
    "min": 0,
    "max": 1
  },
  "loop": {
    "min": 1,
    "max": 120
  },
  "tinting": {
    "min": 0,
    "max": 1
  }
} as const

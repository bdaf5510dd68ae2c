// A ferry landing at dusk: our own scene for Dusky Moth's demo shot.
// World: right-handed, Y up, metres. The camera's axes come in as plain vectors, so POV-Ray's own handedness never matters.
// Declared on the command line by make_shot.py through camera.inc: Cam_Pos, Cam_Right, Cam_Up, Cam_Dir, Key_Shift, Mode.
#version 3.7;
global_settings { assumed_gamma 1.0 max_trace_level 4 }
#include "functions.inc"
#include "camera.inc"
#include "materials.inc"

camera { location Cam_Pos right Cam_Right up Cam_Up direction Cam_Dir }

#if (Mode = 2)
  // Markers only: what the truth is checked against.
  #include "markers.inc"
#else
  #include "quay.inc"
  #include "boathouse.inc"
  #include "props.inc"
  #declare Landing = union { object { Quay } object { Boathouse } object { Props } }
  #if (Mode = 1)
    #include "survey.inc"
  #end
  object { Landing }
  #include "surroundings.inc"
#end

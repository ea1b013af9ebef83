// One frame of a clip: the generator writes the camera of the frame into camera.inc and calls POV-Ray.
#version 3.7;
global_settings { assumed_gamma 1.0 max_trace_level 4 }
#include "camera.inc"
#ifdef (Place)
  #include "place.inc"
#else
  #include "yard.inc"
#end
object { Yard }
object { Water }
#ifdef (TrolleyPlace)
  object { Trolley transform { TrolleyPlace } }
#end
#ifdef (TrolleyZ)
  object { Trolley rotate y * 8 translate vrotate(<-1.36, 0, TrolleyZ>, y * 8) }
#end
#ifdef (WithChart)
  #include "chart.inc"
  object { Chart transform { ChartPlace } }
#end

// Measures true surface points and where they are seen, by ray tracing the yard at parse time.
// Reads: rays.inc (arrays CamAt[], Picks[][] made by the generator). Writes: truth_points.txt with lines
//   P id x y z        a point on a surface, in POV-Ray's left-handed coordinates
//   S id frame_index  the point is seen from that frame's camera
#version 3.7;
global_settings { assumed_gamma 1.0 }
#include "rays.inc"
#ifdef (Place)
  #include "place.inc"
#else
  #include "yard.inc"
#end
#fopen Out "truth_points.txt" write
#local Id = 0;
#local I = 0;
#while (I < dimension_size(PickFrom, 1))
  #local N = <0, 0, 0>;
  #local P = trace(Yard, PickFrom[I], PickAlong[I], N);
  #if (vlength(N) > 0 & vlength(P - PickFrom[I]) < 200)
    #write(Out, "P ", str(Id, 0, 0), " ", vstr(3, P, " ", 0, 9), "\n")
    #local F = 0;
    #while (F < dimension_size(CamAt, 1))
      #local N2 = <0, 0, 0>;
      #local Q = trace(Yard, CamAt[F], vnormalize(P - CamAt[F]), N2);
      #if (vlength(N2) > 0 & vlength(Q - P) < 0.004 + 0.0005 * vlength(P - CamAt[F]))
        #write(Out, "S ", str(Id, 0, 0), " ", str(F, 0, 0), "\n")
      #end
      #local F = F + 1;
    #end
    #local Id = Id + 1;
  #end
  #local I = I + 1;
#end
#fclose Out
camera { location 0 look_at z }

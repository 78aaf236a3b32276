import type { Edit, Schemas, SurfaceMap, SurfaceView } from "@/api/client";

/** What the controls of every stage are given. */
export interface ControlsProps {
  surface: SurfaceView;
  map: SurfaceMap;
  knowledge: Schemas["Knowledge"];
  change: (edit: Edit) => void;
}

import { useRef, type ReactNode } from "react";
import { along, nearer, type Layout, type Stand } from "@/gl/layout";

/** The view as it is first. */
export const AS_IT_WAS: Stand = { zoom: 1, panX: 0, panY: 0 };

const NEARER = 1.15;
/** How many pixels a press may move. */
const STILL = 3;

/**
 * The ground of the flat view, under all that is drawn over it: the wheel comes nearer to what lies under the
 * pointer, a drag of the picture, or with the middle button of anything over it, moves it.
 */
export function FlatGround({
  layout,
  fixed,
  onPlace,
  onPress,
  children,
}: {
  layout: Layout;
  /** Whether it stays where it is. */
  fixed: boolean;
  onPlace: (place: Stand) => void;
  /** Is told of a press of the picture that moves nothing, in pixels of the view. */
  onPress?: ((x: number, y: number) => void) | undefined;
  children: ReactNode;
}) {
  const pressed = useRef<{ x: number; y: number } | null>(null);
  const come = (by: number, x = layout.view.width / 2, y = layout.view.height / 2) => {
    if (!fixed) onPlace(nearer(layout, by, x, y));
  };
  return (
    <div
      role="presentation"
      className="absolute inset-0"
      onWheel={(event) => {
        const frame = event.currentTarget.getBoundingClientRect();
        come(event.deltaY < 0 ? NEARER : 1 / NEARER, event.clientX - frame.left, event.clientY - frame.top);
      }}
      onDoubleClick={(event) => {
        const { target, currentTarget } = event;
        if (target === currentTarget || target instanceof HTMLCanvasElement) onPlace(AS_IT_WAS);
      }}
      onKeyDown={(event) => {
        if (event.key === "+" || event.key === "=") come(NEARER);
        if (event.key === "-") come(1 / NEARER);
        if (event.key === "0") onPlace(AS_IT_WAS);
      }}
      onPointerDownCapture={(event) => {
        const picture = event.target instanceof HTMLCanvasElement;
        if (!picture && event.button !== 1) return;
        if (event.button === 1) {
          // What lies over the picture is not drawn on or moved meanwhile.
          event.preventDefault();
          event.stopPropagation();
        }
        event.currentTarget.setPointerCapture(event.pointerId);
        pressed.current = event.button === 0 ? { x: event.clientX, y: event.clientY } : null;
      }}
      onPointerUp={(event) => {
        const from = pressed.current;
        pressed.current = null;
        if (!from || !onPress || Math.hypot(event.clientX - from.x, event.clientY - from.y) > STILL) return;
        const frame = event.currentTarget.getBoundingClientRect();
        onPress(event.clientX - frame.left, event.clientY - frame.top);
      }}
      onPointerMove={(event) => {
        if (fixed || !event.currentTarget.hasPointerCapture(event.pointerId)) return;
        onPlace(along(layout, event.movementX, event.movementY));
      }}
    >
      {children}
    </div>
  );
}

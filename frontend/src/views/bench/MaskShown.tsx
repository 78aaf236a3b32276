import { useId } from "react";
import { pictureUrl } from "@/api/client";
import { isLaid, scaleOf, toView, type Layout } from "@/gl/layout";
import type { MaskView } from "./maskShapes";

const LONGEST = 1024;
const MOST_CELLS = 2;
const HALF = "0 1";

/** How far a mask reaches: a line along its edge, or a tint over what it covers, in every repeat that is near. */
export function MaskShown({
  contentKey,
  layout,
  view,
  wiped = 0,
}: {
  contentKey: string | undefined;
  layout: Layout;
  view: MaskView;
  /** The share of the view at the left where something else is shown. */
  wiped?: number;
}) {
  const id = useId();
  if (!contentKey || !isLaid(layout) || view.shown === "off") return null;
  const scale = scaleOf(layout);
  const { size, repeat } = layout;
  const middle = Math.floor((repeat - 1) / 2);
  const columns = repeat <= MOST_CELLS ? Array.from({ length: repeat }, (_, n) => n) : [middle];
  const outline = view.shown === "outline";
  return (
    <svg className="pointer-events-none absolute inset-0 h-full w-full overflow-hidden" aria-hidden data-testid="mask-shown" style={{ clipPath: `inset(0 0 0 ${String(wiped * 100)}%)` }}>
      <filter id={id} x="0" y="0" width="1" height="1" colorInterpolationFilters="sRGB">
        <feColorMatrix type="luminanceToAlpha" result="cover" />
        {outline ? (
          <>
            <feComponentTransfer in="cover" result="solid">
              <feFuncA type="discrete" tableValues={HALF} />
            </feComponentTransfer>
            <feMorphology in="solid" operator="dilate" radius="1.6" result="wide" />
            <feComposite in="wide" in2="solid" operator="out" result="line" />
            <feFlood floodColor="#ffe14d" />
            <feComposite in2="line" operator="in" />
          </>
        ) : (
          <>
            <feFlood floodColor="#e0218a" floodOpacity={view.opacity} />
            <feComposite in2="cover" operator="in" />
          </>
        )}
      </filter>
      {columns.flatMap((row) =>
        columns.map((column) => {
          const from = toView(layout, column, row);
          return (
            <image
              key={`${String(column)}-${String(row)}`}
              href={pictureUrl(contentKey, LONGEST)}
              x={from.x}
              y={from.y}
              width={size.width * scale}
              height={size.height * scale}
              preserveAspectRatio="none"
              filter={`url(#${id})`}
            />
          );
        }),
      )}
    </svg>
  );
}

import { type ReactNode, useState } from "react";
import { Group, Panel, Separator } from "react-resizable-panels";
import { DESK_WIDTHS, useUi } from "../state/ui";

interface Props {
  picture: ReactNode;
  strip: ReactNode;
  desk: ReactNode;
  footer?: ReactNode;
  label: string;
}

/** Least width of the picture, pixels. */
const PICTURE_WIDTH = 400;

/**
 * Picture on the left with the time strip below it, one desk on the right whose width can be
 * dragged, or changed by the arrow keys.
 */
export function Workspace({ picture, strip, desk, footer, label }: Props) {
  // The width that it begins with; from then on the panels have it.
  const [width] = useState(useUi.getState().deskWidth);
  return (
    <main className="flex min-h-0 flex-1">
      <Group className="min-h-0 flex-1">
        <Panel id="picture" minSize={PICTURE_WIDTH} style={{ overflow: "hidden" }}>
          <div className="flex h-full min-w-0 flex-col">
            <div className="on-night relative min-h-0 flex-1 bg-night">{picture}</div>
            {strip}
          </div>
        </Panel>
        <Separator
          aria-label="Width of the desk"
          className="w-[5px] border-l border-line bg-paper hover:bg-line"
        />
        <Panel
          id="desk"
          defaultSize={width}
          minSize={DESK_WIDTHS.least}
          maxSize={DESK_WIDTHS.most}
          groupResizeBehavior="preserve-pixel-size"
          onResize={({ inPixels }) => useUi.getState().setDeskWidth(inPixels)}
          style={{ overflow: "hidden" }}
        >
          <aside aria-label={label} className="flex h-full flex-col bg-paper">
            <div
              role="region"
              aria-label={`${label}: settings`}
              tabIndex={0}
              className="min-h-0 flex-1 overflow-y-auto outline-offset-[-2px]"
            >
              {desk}
            </div>
            {footer && <div className="shrink-0 border-t border-line px-4 py-3">{footer}</div>}
          </aside>
        </Panel>
      </Group>
    </main>
  );
}

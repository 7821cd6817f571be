import type Feature from "ol/Feature";
import type MultiPolygon from "ol/geom/MultiPolygon";
import type MapBrowserEvent from "ol/MapBrowserEvent";
import PointerInteraction from "ol/interaction/Pointer";

/**
 * Drags a shape where the pointer goes down inside of it. What lies under the pointer is told by the
 * corners themselves and not by what is drawn: for thousands of corners that takes no time.
 */
export class DragShape extends PointerInteraction {
  private last: number[] | null = null;
  private isMoved = false;

  /** @param onMoved is called once the shape was moved */
  constructor(
    private readonly feature: Feature<MultiPolygon>,
    private readonly onMoved: () => void,
  ) {
    super();
  }

  override handleDownEvent({ coordinate }: MapBrowserEvent): boolean {
    const isInside = this.feature.getGeometry()?.intersectsCoordinate(coordinate) ?? false;
    this.last = isInside ? coordinate : null;
    this.isMoved = false;
    return isInside;
  }

  override handleDragEvent({ coordinate }: MapBrowserEvent): void {
    if (this.last) {
      const [across, up] = [coordinate[0]! - this.last[0]!, coordinate[1]! - this.last[1]!];
      this.feature.getGeometry()?.translate(across, up);
      this.last = coordinate;
      this.isMoved = true;
    }
  }

  override handleUpEvent(): boolean {
    this.last = null;
    if (this.isMoved) {
      this.onMoved();
    }
    return false;
  }
}

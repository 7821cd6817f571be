import { escapeXml } from "../escapeXml";

/** How areas of a kind are drawn. */
export interface AreaStyle {
  id: string;
  name: string;
  /** As #rrggbb. */
  color: string;
}

/** What is drawn in the colours of its classes. */
interface Styled {
  layer: string;
  title: string;
  /** The field whose value is the name of a style. */
  styledBy: string;
  styles: readonly AreaStyle[];
}

const parameter = (name: string, value: string): string =>
  `<CssParameter name="${name}">${value}</CssParameter>`;

const ruleText = (styledBy: string, { name, color }: AreaStyle): string =>
  `<Rule><Name>${escapeXml(name)}</Name><Title>${escapeXml(name)}</Title>` +
  `<ogc:Filter><ogc:PropertyIsEqualTo><ogc:PropertyName>${escapeXml(styledBy)}</ogc:PropertyName>` +
  `<ogc:Literal>${escapeXml(name)}</ogc:Literal></ogc:PropertyIsEqualTo></ogc:Filter>` +
  `<PolygonSymbolizer><Fill>${parameter("fill", color)}${parameter("fill-opacity", "0.6")}</Fill>` +
  `<Stroke>${parameter("stroke", color)}${parameter("stroke-width", "1.2")}</Stroke>` +
  "</PolygonSymbolizer></Rule>\n";

/** Colours of classes as a document of OGC Styled Layer Descriptor 1.0 (02-070). */
export const styledLayer = ({ layer, title, styledBy, styles }: Styled): string =>
  '<?xml version="1.0" encoding="UTF-8"?>\n' +
  '<StyledLayerDescriptor version="1.0.0" xmlns="http://www.opengis.net/sld" xmlns:ogc="http://www.opengis.net/ogc">\n' +
  `<NamedLayer><Name>${escapeXml(layer)}</Name><UserStyle><Title>${escapeXml(title)}</Title><FeatureTypeStyle>\n` +
  `${styles.map((style) => ruleText(styledBy, style)).join("")}` +
  "</FeatureTypeStyle></UserStyle></NamedLayer>\n</StyledLayerDescriptor>\n";

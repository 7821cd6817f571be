import { classNamesFrom } from "./classNames";

const SLD = `<?xml version="1.0" encoding="UTF-8"?>
<sld:StyledLayerDescriptor xmlns:sld="http://www.opengis.net/sld" version="1.0.0">
  <sld:NamedLayer><sld:UserStyle><sld:FeatureTypeStyle><sld:Rule><sld:RasterSymbolizer>
    <sld:ColorMap type="values">
      <sld:ColorMapEntry color="#33498C" quantity="1" label="Open water"/>
      <sld:ColorMapEntry color="#2f6b45" quantity="7"/>
      <sld:ColorMapEntry color="#ffffff" quantity="255" label="none" opacity="0"/>
    </sld:ColorMap>
  </sld:RasterSymbolizer></sld:Rule></sld:FeatureTypeStyle></sld:UserStyle></sld:NamedLayer>
</sld:StyledLayerDescriptor>`;

test("a style names the classes of its colour map; what is no class is left out", () => {
  expect(classNamesFrom(SLD, "cover.sld")).toEqual([
    { label: 1, name: "Open water", color: "#33498c" },
    { label: 7, name: "Class 7", color: "#2f6b45" },
  ]);
});
test.each([
  ["with a heading", 'value,name,colour\n1,Water,#33498c\n2,"Wood, old",\n'],
  ["with semicolons and none", "1;Water;33498c\n2;Wood, old\n"],
])("a table %s names them line by line", (_what, text) => {
  expect(classNamesFrom(text, "cover.csv")).toEqual([
    { label: 1, name: "Water", color: "#33498c" },
    { label: 2, name: "Wood, old", color: null },
  ]);
});
test.each([
  ["a value that is none", "1,Water\nx,Wood", 'c.csv: line 2 has the value "x"'],
  ["a value beyond a byte", "300,Water", 'c.csv: line 1 has the value "300"'],
  ["a colour that is none", "1,Water,blue", 'c.csv: line 1 has the colour "blue"'],
  ["no name", "1,,#33498c", "c.csv: line 1 gives no name"],
  ["a value twice", "1,Water\n1,Wood", "c.csv: the value 1 is there twice"],
  ["nothing", "", "c.csv: it names no class"],
  ["a style without a map", "<?xml version='1.0'?><a/>", "c.csv: the style has no colour map"],
  [
    "a document type",
    `<?xml version="1.0"?><!DOCTYPE a><a/>`,
    /^c.csv: it defines a document type/,
  ],
  ["half a style", SLD.slice(0, 300), /^c.csv: (it is no whole XML|the style has no colour map)/],
])("%s is refused with file and place", (_what, text, message) => {
  expect(() => classNamesFrom(text, "c.csv")).toThrow(message);
});

import { Row } from "../../ui/Labelled";
import { Choice } from "../../ui/Choice";

/** What of a second sensor lies on the map: nothing, what it says of the classes, or what it saw. */
export type SecondShow = "classes" | "says" | "saw";

/** What lies on the map. */
export const ShowChoice = ({
  show,
  setShow,
  canSay,
}: {
  show: SecondShow;
  setShow(show: SecondShow): void;
  /** Whether it is asked about classes. */
  canSay: boolean;
}) => (
  <Row label="On the map">
    <Choice
      label="On the map"
      className="font-sans text-[12px]"
      value={show}
      onChange={setShow}
      options={[
        { value: "classes", name: "Classes" },
        ...(canSay
          ? [{ value: "says" as const, name: "What it says", hint: "Confirmed, not, not seen" }]
          : []),
        { value: "saw", name: "What it saw", hint: "Its picture near after" },
      ]}
    />
  </Row>
);

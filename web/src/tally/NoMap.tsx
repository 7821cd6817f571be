import { useNavigate } from "react-router";
import { EmptyPicture } from "../frame/EmptyPicture";
import { Button } from "../ui/Button";

interface Props {
  studyId: string;
  title: string;
  /** What comes of a map on this page. */
  text: string;
}

/** In place of what a change map shows, while the study has none. */
export function NoMap({ studyId, title, text }: Props) {
  const go = useNavigate();
  return (
    <EmptyPicture title={title}>
      <p className="mb-4">{text}</p>
      <Button onClick={() => void go(`/studies/${studyId}/compare`)}>Go to Compare</Button>
    </EmptyPicture>
  );
}

import { Dropdown } from 'react-bootstrap';

interface Props<T extends string> {
  says: string;
  testId?: string;
  choices: readonly { id: T; says: string }[];
  onChoose: (id: T) => void;
}

/**
 * A choice that does something at once. By keys one goes through it without doing what lies on the way, as a
 * list that keeps its choice would.
 */
export function ActMenu<T extends string>({ says, testId, choices, onChoose }: Props<T>) {
  return (
    <Dropdown className="act-menu">
      <Dropdown.Toggle variant="link" size="sm" data-testid={testId}>
        {says}
      </Dropdown.Toggle>
      <Dropdown.Menu>
        {choices.map((choice) => (
          <Dropdown.Item as="button" type="button" key={choice.id} onClick={() => onChoose(choice.id)}>
            {choice.says}
          </Dropdown.Item>
        ))}
      </Dropdown.Menu>
    </Dropdown>
  );
}

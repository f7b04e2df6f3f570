-- +goose Up
-- Whether an edit was made, took another back, or did it again. It was told by
-- how the summary began; the summary is that of the edit itself now.
ALTER TABLE edit ADD COLUMN turn text NOT NULL DEFAULT 'edit' CHECK (turn IN ('edit', 'undo', 'redo'));
UPDATE edit SET turn = left(summary, 4), summary = substr(summary, 7)
	WHERE undoes IS NOT NULL AND (summary LIKE 'undo: %' OR summary LIKE 'redo: %');
ALTER TABLE edit ADD CONSTRAINT edit_turn CHECK ((turn = 'edit') = (undoes IS NULL));

-- +goose Down
UPDATE edit SET summary = turn || ': ' || summary WHERE turn <> 'edit';
ALTER TABLE edit DROP COLUMN turn;

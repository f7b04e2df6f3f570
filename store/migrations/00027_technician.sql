-- +goose Up
-- 5 is the technician: who carries out, and does not plan.
ALTER TABLE membership DROP CONSTRAINT membership_role_check;
ALTER TABLE membership ADD CONSTRAINT membership_role_check CHECK (role BETWEEN 1 AND 5);
ALTER TABLE invitation DROP CONSTRAINT invitation_role_check;
ALTER TABLE invitation ADD CONSTRAINT invitation_role_check CHECK (role BETWEEN 1 AND 5);
ALTER TABLE token DROP CONSTRAINT token_scope_check;
ALTER TABLE token ADD CONSTRAINT token_scope_check CHECK (scope IN ('tests', 'reader', 'planner', 'technician', 'carrier', 'keeper'));

-- +goose Down
DELETE FROM token WHERE scope = 'technician';
ALTER TABLE token DROP CONSTRAINT token_scope_check;
ALTER TABLE token ADD CONSTRAINT token_scope_check CHECK (scope IN ('tests', 'reader', 'planner', 'carrier', 'keeper'));
UPDATE membership SET role = 1 WHERE role = 5;
UPDATE invitation SET role = 1 WHERE role = 5;
ALTER TABLE membership DROP CONSTRAINT membership_role_check;
ALTER TABLE membership ADD CONSTRAINT membership_role_check CHECK (role BETWEEN 1 AND 4);
ALTER TABLE invitation DROP CONSTRAINT invitation_role_check;
ALTER TABLE invitation ADD CONSTRAINT invitation_role_check CHECK (role BETWEEN 1 AND 4);

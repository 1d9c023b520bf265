-- What a key does is a rule like all others.
UPDATE thing SET kind = 'rule' WHERE kind = 'control';

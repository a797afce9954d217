-- +goose Up

alter table calls drop constraint calls_call_check,
  add constraint calls_call_check check (call in ('live', 'clear', 'ring', 'quit', 'unsure', 'unseen', 'cracked', 'bad', 'displaced'));

-- When somebody was erased, by the machine's clock: a file that was read before does not bring them back.
alter table erased add column noted_at timestamptz not null default clock_timestamp();

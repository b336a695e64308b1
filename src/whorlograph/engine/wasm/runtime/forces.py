"""Forces: what a forced tag keeps whatever writes it, and what would have been written."""

FORCES = """
(func $forced (param $t i32) (param $v i64) (result i64) (local $a i32)
  (local.set $a (i32.add (i32.const {forces}) (i32.mul (local.get $t) (i32.const 24))))
  (if (i64.ne (i64.load (local.get $a)) (local.get $v)) (then
    (i64.store (local.get $a) (local.get $v))
    (call $note (i32.sub (i32.const {SHADOW}) (local.get $t)) (local.get $v))
    (call $wake (local.get $t))))
  (i64.or (i64.and (local.get $v) (i64.xor (i64.load offset=8 (local.get $a)) (i64.const -1))) (i64.load offset=16 (local.get $a))))
(func $force (param $kind i32) (param $t i32) (param $v i64) (local $a i32) (local $f i32) (local $old i64) (local $kept i32)
  (local.set $a (i32.add (i32.const {forces}) (i32.mul (local.get $t) (i32.const 24))))
  (local.set $f (i32.add (i32.const {flags}) (local.get $t)))
  (local.set $old (i64.load (i32.add (i32.const {cells}) (i32.shl (local.get $t) (i32.const 3)))))
  (if (i32.eq (local.get $kind) (i32.const {MASK})) (then
    (if (i64.eqz (i64.load offset=8 (local.get $a))) (then
      (i32.store (i32.const {FORCES}) (i32.add (i32.load (i32.const {FORCES})) (i32.const 1)))
      (i64.store (local.get $a) (local.get $old))))
    (i64.store offset=8 (local.get $a) (i64.or (i64.load offset=8 (local.get $a)) (local.get $v)))
    (i64.store offset=16 (local.get $a) (i64.and (i64.load offset=16 (local.get $a)) (i64.xor (i64.const -1) (local.get $v))))
    (i32.store8 (local.get $f) (i32.or (i32.load8_u (local.get $f)) (i32.const {HELD_AT})))
    (return)))
  (if (i32.eq (local.get $kind) (i32.const {FORCE})) (then
    (i64.store offset=16 (local.get $a) (i64.or (i64.load offset=16 (local.get $a)) (local.get $v)))
    (local.set $v (i64.or (i64.and (local.get $old) (i64.xor (i64.load offset=8 (local.get $a)) (i64.const -1))) (i64.load offset=16 (local.get $a))))
    (if (i64.ne (local.get $v) (local.get $old)) (then (call $chg (local.get $t) (local.get $v))))
    (call $wake (local.get $t))
    (return)))
  (if (i32.eq (local.get $kind) (i32.const {UNFORCE})) (then
    (i64.store offset=8 (local.get $a) (i64.and (i64.load offset=8 (local.get $a)) (i64.xor (i64.const -1) (local.get $v))))
    (i64.store offset=16 (local.get $a) (i64.and (i64.load offset=16 (local.get $a)) (i64.load offset=8 (local.get $a))))
    (if (i64.eqz (i64.load offset=8 (local.get $a))) (then
      (i32.store (i32.const {FORCES}) (i32.sub (i32.load (i32.const {FORCES})) (i32.const 1)))
      (i32.store8 (local.get $f) (i32.and (i32.load8_u (local.get $f)) (i32.const {not_held})))))
    (call $wake (local.get $t))
    (return)))
  (local.set $kept (global.get $step))
  (global.set $step (local.get $t))
  (call $note (select (i32.const {FORCED}) (i32.const {UNFORCED}) (i32.eq (local.get $kind) (i32.const {NOTE_FORCED}))) (local.get $v))
  (global.set $step (local.get $kept)))
(func $next_force (result i64)
  (if (i32.ge_u (i32.load (i32.const {FORCE_AT})) (i32.load (i32.const {FORCE_COUNT}))) (then (return (i64.const {NEVER}))))
  (i64.load (i32.add (i32.const {forcing}) (i32.mul (i32.load (i32.const {FORCE_AT})) (i32.const {EVENT})))))
(func $apply_forces (param $until i64) (local $a i32)
  (loop $l
    (if (i64.gt_s (call $next_force) (local.get $until)) (then (return)))
    (if (i32.ge_u (i32.load (i32.const {FORCE_AT})) (i32.load (i32.const {FORCE_COUNT}))) (then (return)))
    (local.set $a (i32.add (i32.const {forcing}) (i32.mul (i32.load (i32.const {FORCE_AT})) (i32.const {EVENT}))))
    (i32.store (i32.const {FORCE_AT}) (i32.add (i32.load (i32.const {FORCE_AT})) (i32.const 1)))
    (call $force (i32.load offset=12 (local.get $a)) (i32.load offset=8 (local.get $a)) (i64.load offset=16 (local.get $a)))
    (global.set $forcing (i32.ne (i32.load (i32.const {FORCES})) (i32.const 0)))
    (br $l)))
"""

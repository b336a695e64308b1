"""Events from outside as they come due, inputs as they are copied, the halt, the clock of scans."""

INPUTS = """
(func $next_event (result i64)
  (loop $l
    (if (i32.ge_u (i32.load (i32.const {EVENT_AT})) (i32.load (i32.const {EVENT_COUNT}))) (then
      (if (i32.eqz (i32.load (i32.const {MORE}))) (then (return (i64.const {NEVER}))))
      (call $more)
      (br $l))))
  (i64.load (i32.add (i32.const {events}) (i32.mul (i32.load (i32.const {EVENT_AT})) (i32.const {EVENT})))))
(func $take (param $until i64) (local $a i32) (local $t i32) (local $kind i32)
  (i64.store (i32.const {TAKEN}) (local.get $until))
  (loop $l
    (if (i32.lt_u (i32.load (i32.const {EVENT_AT})) (i32.load (i32.const {EVENT_COUNT}))) (then
      (if (i64.gt_s (i64.load (i32.add (i32.const {events}) (i32.mul (i32.load (i32.const {EVENT_AT})) (i32.const {EVENT})))) (local.get $until))
        (then (return)))))
    (if (i64.gt_s (call $next_event) (local.get $until)) (then (return)))
    (if (i32.ge_u (i32.load (i32.const {EVENT_AT})) (i32.load (i32.const {EVENT_COUNT}))) (then (return)))
    (local.set $a (i32.add (i32.const {events}) (i32.mul (i32.load (i32.const {EVENT_AT})) (i32.const {EVENT}))))
    (i32.store (i32.const {EVENT_AT}) (i32.add (i32.load (i32.const {EVENT_AT})) (i32.const 1)))
    (local.set $t (i32.load offset=8 (local.get $a)))
    (local.set $kind (i32.load offset=12 (local.get $a)))
    (if (local.get $kind)
      (then (call $special (local.get $kind) (local.get $t) (i64.load offset=16 (local.get $a)) (i64.load (local.get $a))))
      (else
        (i64.store (i32.add (i32.const {image}) (i32.shl (local.get $t) (i32.const 3))) (i64.load offset=16 (local.get $a)))
        (if (i32.eqz (i32.load8_u (i32.add (i32.const {touched_flags}) (local.get $t)))) (then
          (i32.store8 (i32.add (i32.const {touched_flags}) (local.get $t)) (i32.const 1))
          (i32.store (i32.add (i32.const {touched}) (i32.shl (i32.load (i32.const {TOUCHED})) (i32.const 2))) (local.get $t))
          (i32.store (i32.const {TOUCHED}) (i32.add (i32.load (i32.const {TOUCHED})) (i32.const 1)))))))
    (br $l)))
(func $copied (local $i i32) (local $t i32)
  (block $end (loop $k
    (br_if $end (i32.ge_u (local.get $i) (i32.load (i32.const {TOUCHED}))))
    (local.set $t (i32.load (i32.add (i32.const {touched}) (i32.shl (local.get $i) (i32.const 2)))))
    (i32.store8 (i32.add (i32.const {touched_flags}) (local.get $t)) (i32.const 0))
    (call $put (local.get $t) (i64.load (i32.add (i32.const {image}) (i32.shl (local.get $t) (i32.const 3)))))
    (local.set $i (i32.add (local.get $i) (i32.const 1)))
    (br $k)))
  (i32.store (i32.const {TOUCHED}) (i32.const 0)))
(func $halt
  (i32.store (i32.const {HALTED}) (i32.const 1))
  (i64.store (i32.const {FAULT_SCAN}) (i64.load (i32.const {SCAN})))
  (i64.store (i32.const {FAULT_START}) (global.get $now))
  (i32.store (i32.const {AGAIN}) (i32.const 0))
  (global.set $step (i32.const -2))
  (global.set $num (i32.add (i32.load (i32.const {FAULT_NUMBER})) (i32.const 1)))
  (call $outputs_off)
  (i32.store (i32.const {AGAIN}) (i32.const 1)))
(func $clocked (param $start i64)
  (if (i64.ne (local.get $start) (i64.add (i64.load (i32.const {START})) (i64.load (i32.const {PERIOD})))) (then
    (i64.store (i32.const {PERIOD}) (i64.sub (local.get $start) (i64.load (i32.const {START}))))
    (if (i64.eq (i64.load (i32.const {SCAN})) (i64.const 1)) (then (i64.store (i32.const {PERIOD}) (i64.const {scan_time}))))
    (call $note (i32.const {CLOCK_START}) (local.get $start))
    (call $note (i32.const {CLOCK_PERIOD}) (i64.load (i32.const {PERIOD})))))
  (i64.store (i32.const {START}) (local.get $start)))
"""

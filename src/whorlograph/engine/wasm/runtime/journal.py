"""Records of the journal, and writes: of a cell, of the bits that others share with it; what a write wakes."""

# Changes of tags go to the journal, all else to the notes: most scans have only the one or the other, and what reads them need not sort.
_RECORD = """
(func ${name} (param $t i32) (param $v i64) (local $p i32)
  (local.set $p (i32.load (i32.const {{{at}}})))
  (i64.store (local.get $p) (i64.add (i64.shl (i64.load (i32.const {{SCAN}})) (i64.const {{BITS}}))
    (i64.extend_i32_u (i32.add (global.get $num) (i32.const {{BEFORE_SCAN}})))))
  (i32.store offset=8 (local.get $p) (global.get $step))
  (i32.store offset=12 (local.get $p) (local.get $t))
  (i64.store offset=16 (local.get $p) (local.get $v))
  (local.set $p (i32.add (local.get $p) (i32.const {{RECORD}})))
  (i32.store (i32.const {{{at}}}) (local.get $p))
  (if (i32.ge_u (local.get $p) (i32.const {{{end}}})) (then (call $flush))))"""

JOURNAL = _RECORD.format(name="rec", at="JOURNAL_AT", end="journal_end") + _RECORD.format(name="note", at="NOTES_AT", end="notes_end") + """
(func $wake (param $t i32) (local $p i32) (local $w i32) (local $a i32)
  (local.set $p (i32.load (i32.add (i32.const {watch}) (i32.shl (local.get $t) (i32.const 2)))))
  (if (i32.eqz (local.get $p)) (then (return)))
  (loop $l
    (local.set $w (i32.load (local.get $p)))
    (if (i32.ne (local.get $w) (i32.const -1)) (then
      (local.set $a (i32.shr_u (local.get $w) (i32.const 1)))
      (if (i32.eqz (i32.and (i32.and (local.get $w) (i32.const 1)) (i32.eq (local.get $a) (global.get $cur)))) (then
        (i32.store8 (local.get $a) (i32.const 1))
        {woken}))
      (local.set $p (i32.add (local.get $p) (i32.const 4)))
      (br $l)))))
(func $self
  (i32.store8 (global.get $cur) (i32.const 1))
  (i32.store (global.get $dirty) (i32.const 1)))
(func $set (param $t i32) (param $v i64) (local $f i32) (local $a i32) (local $old i64)
  (local.set $a (i32.add (i32.const {cells}) (i32.shl (local.get $t) (i32.const 3))))
  (local.set $f (i32.load8_u (i32.add (i32.const {flags}) (local.get $t))))
  (local.set $old (i64.load (local.get $a)))
  (i64.store (local.get $a) (local.get $v))
  (if (i32.eqz (i32.and (local.get $f) (i32.const {SILENT}))) (then (call $rec (local.get $t) (local.get $v))))
  (call $wake (local.get $t))
  (if (local.get $f) (then
    (if (i32.and (local.get $f) (i32.const {OUTPUT})) (then (i32.store (i32.const {BREAK}) (i32.const 1))))
    {flagged})))
(func $chg (param $t i32) (param $v i64) (local $p i32) (local $o i32) (local $x i64) (local $y i64) (local $m i64) (local $w i64)
  (call $set (local.get $t) (local.get $v))
  (local.set $p (i32.load (i32.add (i32.const {shares}) (i32.shl (local.get $t) (i32.const 2)))))
  (if (i32.eqz (local.get $p)) (then (return)))
  (loop $l
    (local.set $o (i32.load (local.get $p)))
    (if (i32.ne (local.get $o) (i32.const -1)) (then
      (local.set $y (i64.load (i32.add (i32.const {cells}) (i32.shl (local.get $o) (i32.const 3)))))
      (local.set $m (i64.load offset=16 (local.get $p)))
      (local.set $x (i64.and (i64.shr_u (local.get $v) (i64.load32_u offset=4 (local.get $p))) (local.get $m)))
      (local.set $w (i64.load32_u offset=8 (local.get $p)))
      (local.set $x (i64.or (i64.shl (local.get $x) (local.get $w))
        (i64.and (local.get $y) (i64.xor (i64.const -1) (i64.shl (local.get $m) (local.get $w))))))
      (local.set $x (call $extend (local.get $x) (i64.load32_u offset=12 (local.get $p))))
      (if (i64.ne (local.get $x) (local.get $y)) (then (call $set (local.get $o) (local.get $x))))
      (local.set $p (i32.add (local.get $p) (i32.const 24)))
      (br $l)))))
(func $extend (param $x i64) (param $w i64) (result i64)
  (if (result i64) (i64.eqz (i64.and (local.get $w) (i64.const 256)))
    (then (i64.shr_u (i64.shl (local.get $x) (local.get $w)) (local.get $w)))
    (else (i64.shr_s (i64.shl (local.get $x) (i64.and (local.get $w) (i64.const 63))) (i64.and (local.get $w) (i64.const 63))))))
(func $put (param $t i32) (param $v i64)
  (if (global.get $forcing) (then
    (if (i32.and (i32.load8_u (i32.add (i32.const {flags}) (local.get $t))) (i32.const {HELD_AT}))
      (then (local.set $v (call $forced (local.get $t) (local.get $v)))))))
  (if (i64.ne (local.get $v) (i64.load (i32.add (i32.const {cells}) (i32.shl (local.get $t) (i32.const 3)))))
    (then (call $chg (local.get $t) (local.get $v)))))
(func $keep (param $t i32) (param $v i64) (local $a i32)
  (local.set $a (i32.add (i32.const {cells}) (i32.shl (local.get $t) (i32.const 3))))
  (if (i64.ne (local.get $v) (i64.load (local.get $a))) (then
    (i64.store (local.get $a) (local.get $v))
    (call $rec (local.get $t) (local.get $v)))))
(func $load_bit (param $t i32) (param $b i32) (result i32) (local $a i32)
  (local.set $a (i32.add (i32.const {cells}) (i32.shl (local.get $t) (i32.const 3))))
  (if (i32.lt_s (local.get $b) (i32.const 0)) (then (return (i32.load (local.get $a)))))
  (i32.wrap_i64 (i64.and (i64.shr_u (i64.load (local.get $a)) (i64.extend_i32_u (i32.and (local.get $b) (i32.const 255)))) (i64.const 1))))
(func $store_bit (param $t i32) (param $b i32) (param $v i32) (local $bit i64)
  (if (i32.lt_s (local.get $b) (i32.const 0)) (then (call $put (local.get $t) (i64.extend_i32_u (local.get $v))) (return)))
  (local.set $bit (i64.extend_i32_u (i32.and (local.get $b) (i32.const 255))))
  (call $put (local.get $t) (call $extend
    (i64.or (i64.and (i64.load (i32.add (i32.const {cells}) (i32.shl (local.get $t) (i32.const 3))))
                     (i64.xor (i64.const -1) (i64.shl (i64.const 1) (local.get $bit))))
            (i64.shl (i64.extend_i32_u (local.get $v)) (local.get $bit)))
    (i64.extend_i32_u (i32.shr_u (local.get $b) (i32.const 8))))))
(func $copy (param $to i32) (param $from i32) (param $n i32)
  (if (i32.lt_u (i32.sub (local.get $to) (local.get $from)) (local.get $n)) (then  ;; where they overlap, from behind
    (loop $down
      (if (i32.eqz (local.get $n)) (then (return)))
      (local.set $n (i32.sub (local.get $n) (i32.const 1)))
      (call $put (i32.add (local.get $to) (local.get $n))
        (i64.load (i32.add (i32.const {cells}) (i32.shl (i32.add (local.get $from) (local.get $n)) (i32.const 3)))))
      (br $down))))
  (loop $up
    (if (i32.eqz (local.get $n)) (then (return)))
    (call $put (local.get $to) (i64.load (i32.add (i32.const {cells}) (i32.shl (local.get $from) (i32.const 3)))))
    (local.set $to (i32.add (local.get $to) (i32.const 1)))
    (local.set $from (i32.add (local.get $from) (i32.const 1)))
    (local.set $n (i32.sub (local.get $n) (i32.const 1)))
    (br $up)))
"""

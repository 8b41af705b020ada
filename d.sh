U="a b"; (( U )); echo "arith $?"
let U; echo "let $?"; [[ U -eq 3 ]]; echo "test $?"; (: $((U)); echo sub); echo "after sub $?"; echo "$(: $((1/0)); echo x)"; (( 1/0 )); echo d $?; : $((U))
echo next

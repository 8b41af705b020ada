f() { U="a b"; : $((U)); echo after-in-f; }; f; echo after-f
echo next

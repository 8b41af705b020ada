# odile's login.
if [ -n "$BASH_VERSION" ] && [ -f "$HOME/.bashrc" ]; then
    . "$HOME/.bashrc"
fi
if [ -d "$HOME/bin" ]; then
    PATH="$HOME/bin:$PATH"
fi
export EDITOR=nano
export BERTH_LOG_DIR="$HOME/log"
TICKET_PRINTER=lp-quay
export BERTH_DB_URL="postgres://odile@db.pier.example/berths"
export BERTH_PLUGIN_PATH=/home/odile/plugins

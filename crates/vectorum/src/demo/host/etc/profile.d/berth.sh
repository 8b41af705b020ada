# The board's tools, for every login.
export BERTH_PLUGIN_PATH=/opt/berth/plugins:/usr/share/berth/plugins
PATH=$PATH:/opt/berth/bin

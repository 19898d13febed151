-- The accounts of a cluster, made on its first node before it becomes one; the others get them with the first copy.
-- Unisor itself: all rights on its two schemas and none elsewhere, but for what copies and replicas need.
CREATE USER IF NOT EXISTS 'unisor'@'%' IDENTIFIED BY '@PASSWORD@' REQUIRE SSL;
GRANT ALL PRIVILEGES ON `unisor`.* TO 'unisor'@'%';
GRANT ALL PRIVILEGES ON `unisor\_%`.* TO 'unisor'@'%';
GRANT RELOAD, PROCESS, BINLOG MONITOR, REPLICA MONITOR, CONNECTION ADMIN ON *.* TO 'unisor'@'%';
-- Copies for nodes that have been away too long (wsrep_sst_auth).
CREATE USER IF NOT EXISTS 'unisor_transfer'@'localhost' IDENTIFIED BY '@TRANSFER_PASSWORD@';
GRANT RELOAD, PROCESS, LOCK TABLES, BINLOG MONITOR, REPLICA MONITOR ON *.* TO 'unisor_transfer'@'localhost';
-- Asks a node whether it may be written (deploy/node-is-ready); it may do nothing at all.
CREATE USER IF NOT EXISTS 'unisor_check'@'%';
-- Read replicas follow the log by it.
CREATE USER IF NOT EXISTS 'unisor_replica'@'%' IDENTIFIED BY '@REPLICA_PASSWORD@' REQUIRE SSL;
GRANT REPLICATION SLAVE ON *.* TO 'unisor_replica'@'%';

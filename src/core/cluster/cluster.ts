/**
 * What a manager of a cluster says: the engine's own cluster mode, in which several machines share services (Engine API v1.41: NodeList, ServiceList, TaskList).
 */
export interface Cluster {
  nodes: ClusterNode[];
  services: ClusterService[];
  tasks: ClusterTask[];
}

/** @property address where other nodes reach it */
export interface ClusterNode {
  id: string;
  name: string;
  address: string;
  state: string;
  availability: 'active' | 'pause' | 'drain';
}

/**
 * @property name whole: that of its stack, an underscore, and its own, when it is of a stack
 * @property wanted how many tasks it should have; null for one on each node
 * @property ports `host`: on the node that runs a task; `ingress`: on every node, through the mesh
 */
export interface ClusterService {
  id: string;
  name: string;
  stack: string | null;
  image: string | null;
  labels: Record<string, string>;
  wanted: number | null;
  ports: Array<{ protocol: 'tcp' | 'udp'; inside: number; outside: number; how: 'host' | 'ingress' }>;
  networks: string[];
}

/**
 * @property isWanted it should run; a lost node's tasks are still told to run when they should not any more
 * @property error what the engine says of its end, or of why it cannot begin
 * @property at when that was, in ISO 8601
 */
export interface ClusterTask {
  id: string;
  service: string;
  node: string | null;
  slot: number | null;
  state: string;
  isWanted: boolean;
  error: string | null;
  exitCode: number;
  at: string;
}

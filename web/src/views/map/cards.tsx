import { Box } from '@chakra-ui/react';
import { useEffect, useState, type CSSProperties } from 'react';
import {
  Handle,
  Position,
  useConnection,
  useUpdateNodeInternals,
  type Node,
  type NodeProps,
} from '@xyflow/react';
import type { CriticalPlace, MapDevice } from '../../shared/api/client';
import { groundOf } from './critical';
import { cardSize } from './graph';
import type { StopSide } from './labels';
import type { Region } from './region';
import { asTint, tinted } from './tint';

export type CardNode = Node<
  {
    device: MapDevice;
    focused: boolean;
    /** Why packets end here, and on which side of the card there is room to say it. */
    stops: string[];
    side?: StopSide | undefined;
    far: number | undefined;
    /** It is only in the draft, or the draft takes it out. */
    draft: boolean;
    gone: boolean;
    /** How its tables changed between two moments. */
    tables?: { signs: string; words: string } | undefined;
    waitsSide?: StopSide | undefined;
    tablesSide?: StopSide | undefined;
    /** What a convergence waited for here. */
    waits?: string[] | undefined;
    /** What its failure does, if that is shown. */
    critical?: CriticalPlace | undefined;
  },
  'device'
>;
export type RegionNode = Node<{ region: Region; without: boolean; words: string }, 'region'>;
export type PillNode = Node<
  { name: string; draft: boolean; gone: boolean; critical?: CriticalPlace | undefined },
  'segment'
>;

const hidden = { visibility: 'hidden' as const, pointerEvents: 'none' as const, left: '50%', top: '50%' };
const Ends = ({ id, near }: { id: string; near: boolean }) => (
  <>
    <Handle type="target" position={Position.Top} style={hidden} isConnectable={false} />
    <Handle type="source" position={Position.Top} style={hidden} isConnectable={false} />
    <Join id={id} near={near} />
  </>
);

/** Whether a card was pointed at ever; only then it gets its dot. */
function useNear(): [boolean, { onPointerEnter: () => void }] {
  const [near, setNear] = useState(false);
  return [near, { onPointerEnter: () => setNear(true) }];
}

/** The dot from which a link is dragged; while one is, the whole card takes it. */
function Join({ id, near }: { id: string; near: boolean }) {
  const dragging = useConnection((c) => c.inProgress);
  const handlesChanged = useUpdateNodeInternals();
  useEffect(() => {
    if (near) handlesChanged(id);
  }, [near, id, handlesChanged]);
  return (
    <>
      {dragging && (
        <Handle
          id="whole"
          type="target"
          position={Position.Top}
          style={{
            width: '100%',
            height: '100%',
            top: 0,
            left: 0,
            transform: 'none',
            borderRadius: 6,
            opacity: 0,
            border: 0,
          }}
        />
      )}
      {near && (
        <Handle
          id="join"
          type="source"
          position={Position.Right}
          className="join-dot"
          title="drag to another card to join the two"
          style={{
            width: 11,
            height: 11,
            background: 'var(--chakra-colors-plum)',
            border: '2px solid var(--chakra-colors-paper)',
          }}
        />
      )}
    </>
  );
}

/** The roles of routers where room is short. */
const roleWords: Record<string, string> = {
  'area border router': 'border',
  'AS boundary router': 'AS boundary',
};

/** Where a note is on each side of a card, in CSS. */
const beside: Record<StopSide, CSSProperties> = {
  below: { top: 'calc(100% + 4px)', left: 0 },
  'below left': { top: 'calc(100% + 4px)', right: 0 },
  above: { bottom: 'calc(100% + 4px)', left: 0 },
  'above left': { bottom: 'calc(100% + 4px)', right: 0 },
  right: { left: 'calc(100% + 4px)', top: 0 },
  left: { right: 'calc(100% + 4px)', top: 0 },
};

/** A device: a small card with its name and its address. */
export function DeviceCard({ id, data, selected }: NodeProps<CardNode>) {
  const [near, pointed] = useNear();
  const { device, focused, stops, far, draft, gone, tables, waits, critical } = data;
  const size = cardSize[device.kind];
  return (
    <Box
      w={`${size.width}px`}
      h={`${size.height}px`}
      style={{
        background: draft
          ? 'var(--chakra-colors-plum-soft)'
          : critical
            ? groundOf[critical.harm]
            : device.enabled && !gone
              ? tinted(device.kind === 'host' ? [] : device.areas)
              : 'var(--chakra-colors-paper)',
      }}
      border={
        critical?.harm === 'for good'
          ? '4px double'
          : selected
            ? '2px solid'
            : draft || gone || !device.enabled
              ? '1.5px dashed'
              : focused
                ? '2px solid'
                : '1px solid'
      }
      borderColor={
        focused || draft || selected
          ? 'plum'
          : critical?.harm === 'for good'
            ? 'brick'
            : stops.length > 0 || gone
              ? 'brick'
              : device.enabled
                ? 'line'
                : 'quiet'
      }
      borderRadius={device.kind === 'host' ? '14px' : '6px'}
      className="card"
      px={2}
      py="3px"
      lineHeight="1.2"
      textDecoration={gone ? 'line-through' : undefined}
      title={
        gone
          ? 'it is taken out'
          : critical
            ? `${critical.name}: ${critical.says}`
            : [device.name, ...(device.enabled ? [] : ['disabled']), ...device.roles].join(', ')
      }
      shadow="xs"
      data-device={device.name}
      {...pointed}
    >
      <Ends id={id} near={near} />
      <Box className="card-head" display="flex" gap={1} alignItems="baseline">
        <Box className="card-name" data-focused={focused} fontWeight="650" truncate flex={1}>
          {device.name}
        </Box>
        {draft && (
          <Box className="card-text card-more" color="plum">
            new
          </Box>
        )}
        {!device.enabled && (
          <Box className="card-text card-more" color="brick">
            disabled
          </Box>
        )}
        {device.areas.length > 0 && (
          <Box className="card-text card-more card-fine" color="quiet" whiteSpace="nowrap">
            area {device.areas.join(', ')}
          </Box>
        )}
      </Box>
      <Box
        className={far === undefined ? 'card-more' : undefined}
        display="flex"
        gap={1}
        alignItems="baseline"
      >
        <Box
          // Two roles leave no room for it beside them.
          className={`card-text card-more ${far === undefined && device.roles.filter((r) => roleWords[r]).length > 1 ? 'card-coarse' : ''}`}
          fontFamily="mono"
          color="quiet"
          truncate
          flex={1}
        >
          {device.address ?? 'no address'}
        </Box>
        {far !== undefined && (
          <Box className="card-text" color="plum" fontWeight="650" whiteSpace="nowrap">
            {far === 0 ? 'root' : `costs ${far}`}
          </Box>
        )}
        {far === undefined && device.reflector && (
          <Box className="card-text card-fine" color="plum" whiteSpace="nowrap" title="route reflector">
            reflector
          </Box>
        )}
        {far === undefined &&
          device.roles
            .filter((r) => roleWords[r])
            .map((r) => (
              <Box key={r} className="card-text card-fine" color="plum" whiteSpace="nowrap" title={r}>
                {roleWords[r]}
              </Box>
            ))}
      </Box>
      {device.instances && device.instances.length > 0 && (
        <Box className="bays card-text" position="absolute" top="100%" left="6px" display="flex" gap="3px">
          {device.instances.map((i) => (
            <Box
              key={i.name}
              border="1px solid"
              borderTop="0"
              borderColor="line"
              borderBottomRadius="4px"
              bg="panel"
              color="quiet"
              px="4px"
              lineHeight="1.3"
              whiteSpace="nowrap"
              title={`instance ${i.name}: ${i.ports.join(', ')}`}
            >
              {i.name}
            </Box>
          ))}
        </Box>
      )}
      {tables && (
        <Box
          position="absolute"
          style={beside[data.tablesSide ?? 'below']}
          bg="ochreSoft"
          color="ochre"
          border="1px solid"
          borderColor="ochre"
          borderRadius="full"
          px={2}
          className="map-note"
          fontWeight="600"
          lineHeight="1.35"
          whiteSpace="nowrap"
          title={tables.words}
          data-tables={device.name}
          zIndex={4}
        >
          {tables.signs}
        </Box>
      )}
      {waits && (
        <Box
          position="absolute"
          style={beside[data.waitsSide ?? 'below']}
          bg="raised"
          color="ink"
          border="1.5px dotted"
          borderColor="ink"
          borderRadius="4px"
          px={2}
          className="map-note"
          w="max-content"
          whiteSpace="pre-line"
          data-waits={device.name}
          zIndex={5}
        >
          {waits.join('\n')}
        </Box>
      )}
      {stops.length > 0 && (
        <Box
          position="absolute"
          style={beside[data.side ?? 'below']}
          bg="brickSoft"
          color="brick"
          border="1px solid"
          borderColor="brick"
          borderRadius="4px"
          px={2}
          py="2px"
          className="map-note"
          fontWeight="500"
          w="max-content"
          whiteSpace="pre-line"
          zIndex={5}
        >
          {stops.join('\n')}
        </Box>
      )}
    </Box>
  );
}

/** A segment: what a switch joins. */
export function SegmentPill({ id, data, selected }: NodeProps<PillNode>) {
  const [near, pointed] = useNear();
  return (
    <Box
      w={`${cardSize.segment.width}px`}
      h={`${cardSize.segment.height}px`}
      className="card segment"
      title={data.critical ? `${data.critical.name}: ${data.critical.says}` : data.name}
      borderRadius="full"
      style={data.critical ? { background: groundOf[data.critical.harm] } : {}}
      bg={data.draft ? 'plumSoft' : 'chosen'}
      border={data.draft ? '1px dashed' : '1px solid'}
      borderColor={data.draft || selected ? 'plum' : 'line'}
      opacity={data.gone ? 0.35 : 1}
      textAlign="center"
      color="quiet"
      lineHeight="20px"
      {...pointed}
    >
      <Ends id={id} near={near} />
      <Box className="card-text card-more" truncate>
        {data.name}
      </Box>
    </Box>
  );
}

/** An autonomous system: a tinted region behind the cards of its devices. */
export function AutonomousSystem({ data }: NodeProps<RegionNode>) {
  const r = data.region;
  return (
    <svg
      width={r.width}
      height={r.height}
      style={{ overflow: 'visible', pointerEvents: 'none' }}
      data-as={r.as}
    >
      <path
        d={r.d}
        fill={asTint(r.as)}
        fillOpacity={data.without ? 0.08 : 0.32}
        stroke="var(--chakra-colors-line)"
      />
      <text
        x={r.name.x}
        y={r.name.y}
        className="card-text"
        fontWeight={650}
        fill="var(--chakra-colors-quiet)"
      >
        {data.words}
      </text>
    </svg>
  );
}
